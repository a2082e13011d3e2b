import * as z from "zod";
import { changesOfRun, sentenceOf, YoroshiError, type Change } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

const cell = z.union([z.string(), z.number(), z.boolean()]).nullable();

/** A cell that a run altered. */
export const changeShape = z.object({
  key: z.string(),
  step: z.string(),
  column: z.string(),
  /** Null for a cell without a value. */
  before: cell,
  after: cell,
  why: z.string(),
  whyCode: z.string(),
  at: z.iso.datetime(),
});

export type ChangeTold = z.output<typeof changeShape>;

export const changeTold = ({ before, after, why, at, ...change }: Change): ChangeTold => ({
  ...change,
  before: before ?? null,
  after: after ?? null,
  why: sentenceOf(why),
  whyCode: why.code,
  at: new Date(at).toISOString(),
});

/** How many fills of a plan are looked through for the newest that changed something. */
const LOOKED_THROUGH = 1_000;

const report = z.object({
  plan: z.string(),
  run: z.string(),
  startedAt: z.iso.datetime(),
  /** How many there are in all. */
  total: count,
  changes: z.array(changeShape),
});

export type ChangesReport = z.output<typeof report>;

/** What a fill altered, cell by cell. */
export const readChanges = defineJob({
  name: "readChanges",
  summary: "Tells which cells a fill altered: row, column, before, after, why; of a plan's last ten fills that changed something.",
  input: z.strictObject({
    plan: z.string(),
    /** A run's id. Default: the newest fill that changed something. */
    run: z.string().optional(),
    /** Default 500. */
    limit: z.int().min(1).max(100_000).optional(),
  }),
  report,
  async run(project, { plan: name, run: wanted, limit = 500 }) {
    const plan = await project.plan(name);
    const { id, startedAt } = await runOf(project, plan.name, wanted);
    const changes: ChangeTold[] = [];
    let total = 0;
    for await (const some of changesOfRun(project.ledger(), plan.name, id)) {
      total += some.length;
      for (const change of some.slice(0, Math.max(0, limit - changes.length))) changes.push(changeTold(change));
    }
    return { plan: plan.name, run: id, startedAt: new Date(startedAt).toISOString(), total, changes };
  },
});

async function runOf(
  project: Project,
  plan: string,
  wanted: string | undefined,
): Promise<{ readonly id: string; readonly startedAt: number }> {
  const fills = (await project.ledger().runs.find("fill", plan, LOOKED_THROUGH)).filter(({ cells }) => cells !== 0);
  const found = wanted === undefined ? fills[0] : fills.find(({ id }) => id === wanted);
  if (!found)
    throw new YoroshiError("notFound", {
      what: `fill of the plan ${plan} that changed something`,
      name: wanted ?? "the last",
      known: fills.slice(0, 10).map(({ id }) => id),
    });
  return found;
}
