import * as z from "zod";
import { modelsOf, monthStart, readHostSaid, sentenceOf, survey, templateSteps, workOf, type FillSetup } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { cellState, count, hostChangeShape, money, toldNote } from "./schemas.js";
import { toldNotes } from "./told.js";
import { spreadState } from "./workers-seen.js";
import { watchedOf, watchedShape } from "./watch/read-watched.js";

const input = z.strictObject({
  plan: z.string(),
  /** Tell every cell without an up-to-date value, too. */
  empty: z.boolean().optional(),
});

const report = z.object({
  plan: z.string(),
  table: z.string(),
  rows: count,
  /** Column -> how many of its cells stand in each state. */
  columns: z.record(z.string(), z.partialRecord(cellState, count)),
  reasons: z.array(
    z.object({ step: z.string(), state: cellState, reason: z.string(), reasonCode: z.string(), rows: count, keys: z.array(z.string()) }),
  ),
  notes: z.array(toldNote),
  /** Steps that keep to a version of their template which is not today's file. */
  keptTo: z.array(z.object({ step: z.string(), template: z.string(), version: z.int(), today: z.int() })),
  empty: z
    .array(
      z.object({ key: z.string(), place: z.string(), column: z.string(), state: cellState, reason: z.string(), reasonCode: z.string() }),
    )
    .optional(),
  lastRun: z.object({ id: z.string(), startedAt: z.iso.datetime(), end: z.string() }).nullable(),
  /** What all fills of the plan were charged, at the prices of their days. */
  spend: z.array(
    z.object({ model: z.string(), step: z.string(), requests: count, tokensIn: count, tokensOut: count, spent: money, unsure: money }),
  ),
  /** Of a plan that is filled by itself: who watches it, lag, last and next round; and messages of its rules that wait. */
  watched: watchedShape.optional(),
  /** What all runs spent in this month (UTC), where the project has a cap on it. */
  /** Models whose hosts have said something of themselves that they had not said before, with the cells recorded since then. */
  hosts: z.array(hostChangeShape.extend({ since: z.iso.datetime(), cells: count })),
  month: z.object({ spent: money, cap: money }).optional(),
  /** Processes that work for spread fills, where the ledger is in a database. */
  workers: z.array(z.object({ name: z.string(), chunks: count, asked: count, pace: count, refuses: z.string().optional() })).optional(),
  /** Of a fill of the plan that is spread at this moment: chunks that wait, are in hand, and were taken more than once. */
  spread: z.object({ run: z.string(), waiting: count, taken: count, again: count }).optional(),
});

export type SurveyReport = z.output<typeof report>;

/** What models' hosts said last, where it was something else before. */
export async function hostChanges(setup: FillSetup): Promise<SurveyReport["hosts"]> {
  const { plan, asking, ledger } = setup;
  const found: SurveyReport["hosts"] = [];
  for (const model of modelsOf(workOf(setup))) {
    const said = await readHostSaid(ledger.facts, model);
    const [was, now] = said.slice(-2);
    if (!was || !now) continue;
    let cells = 0;
    for (const [step, one] of Object.entries(asking))
      if (one.model === model) cells += (await ledger.cells.changedSince(plan.name, step, now.since)).length;
    const { since, ...says } = now;
    const { since: _, ...before } = was;
    found.push({ model: model.id, was: before, now: says, since: new Date(since).toISOString(), cells });
  }
  return found;
}

async function keptTo(project: Project, { plan, asking }: FillSetup): Promise<SurveyReport["keptTo"]> {
  const found: SurveyReport["keptTo"] = [];
  for (const { name, step } of templateSteps(plan)) {
    if (step.version === undefined) continue;
    const { version: today } = await project.version(await project.template(step.template));
    const { version } = asking[name]!;
    if (version !== today) found.push({ step: name, template: step.template, version, today });
  }
  return found;
}

/** How every cell of a plan stands, and why cells have no value. Asks nothing. */
export const surveyPlan = defineJob({
  name: "surveyPlan",
  summary: "Tells how every cell of a plan stands, and why cells have no value.",
  input,
  report,
  async run(project, { plan, empty = false }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const open: NonNullable<SurveyReport["empty"]> = [];
    const { rows, columns, reasons, notes } = await survey(
      setup,
      empty ? ({ reason, ...cell }) => open.push({ ...cell, reason: sentenceOf(reason), reasonCode: reason.code }) : undefined,
    );
    const ledger = project.ledger();
    const [last] = await ledger.runs.find("fill", setup.plan.name, 1);
    const spend = await ledger.charges.of(setup.plan.name);
    const cap = project.monthlyCap;
    const watched = await watchedOf(project, setup.plan.name);
    return {
      plan: setup.plan.name,
      table: setup.table.name,
      rows,
      columns: { ...columns },
      reasons: reasons.map(({ reason, keys, ...one }) => ({
        ...one,
        reason: sentenceOf(reason),
        reasonCode: reason.code,
        keys: [...keys],
      })),
      notes: toldNotes(notes),
      keptTo: await keptTo(project, setup),
      ...(empty ? { empty: open } : {}),
      lastRun: last ? { id: last.id, startedAt: new Date(last.startedAt).toISOString(), end: last.end ?? "broken off" } : null,
      spend: spend.map((line) => ({ ...line, spent: line.spent / 1e6, unsure: line.unsure / 1e6 })),
      ...(watched ? { watched } : {}),
      hosts: await hostChanges(setup),
      ...(project.settings.ledger ? await spreadState(project, setup.plan.name) : {}),
      ...(cap === undefined
        ? {}
        : { month: { spent: (await ledger.charges.since(monthStart(project.clock.now()))) / 1e6, cap: cap / 1e6 } }),
    };
  },
});
