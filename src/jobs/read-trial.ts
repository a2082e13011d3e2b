import * as z from "zod";
import {
  conclusion,
  contest,
  contestReport,
  recordedTrials,
  rowsForHalfWidth,
  trialReport,
  YoroshiError,
  type Contestant,
  type TrialReport,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { columnContestant, contestantOf, versionOf } from "./contest.js";
import { defineJob } from "./job.js";
import { openSamples, markOf } from "./samples-file.js";
import { count, money, plain } from "./schemas.js";

const MOST_TRIALS = 500;
const HALF_WIDTH = 0.05;
const COLUMN = /^column=(.+)$/;

const disagreement = z.object({
  id: z.string(),
  place: z.string(),
  part: z.string(),
  truth: z.string(),
  answer: z.string().nullable(),
  why: z.string().optional(),
  /** Where the sample stands in its file, to correct its label; see `labelRow`. */
  row: z.int().optional(),
  mark: z.string().optional(),
  /** What was asked about; none where the file has changed since. */
  inputs: z.record(z.string(), z.string()),
});

const comparison = z.object({
  name: z.string(),
  run: z.string(),
  /** Part -> what may be concluded. */
  says: z.record(z.string(), z.string()),
});

/** One trial that the ledger knows, held against others. */
export const readTrial = defineJob({
  name: "readTrial",
  summary: "Gives a trial that was made before, whole, with the rows on which it was wrong, and holds it against others.",
  input: z.strictObject({
    template: z.string(),
    /** The trial's run. Default: the newest. */
    run: z.string().optional(),
    /** Runs of other trials on the same samples, also of other templates'; or `column=PART:COLUMN`. */
    against: z.array(z.string()).optional(),
  }),
  report: z.object({
    at: z.iso.datetime(),
    name: z.string(),
    trial: z.object({ ...trialReport.shape, spent: money, worth: money, disagreements: z.array(disagreement) }),
    contest: z.nullable(contestReport),
    comparisons: z.array(comparison),
    /** Part -> how many more labelled rows bring its interval within five points. */
    rowsNeeded: z.record(z.string(), count),
  }),
  async run(project, { template, run, against = [] }) {
    const known = await recordedTrials(project.ledger(), template, MOST_TRIALS);
    const found = run === undefined ? known[0] : known.find(({ report }) => report.run === run);
    if (!found)
      throw new YoroshiError("notFound", {
        what: `trial of ${template}`,
        name: run ?? "(newest)",
        known: known.map(({ report }) => report.run),
      });
    const { report, at } = found;
    const own = contestantOf(nameOf(report), report);
    const others = await Promise.all(against.map((one) => contestantAgainst(project, report, one)));
    const held = others.length > 0 ? contest(own, others) : undefined;
    return {
      at: new Date(at).toISOString(),
      name: own.name,
      trial: {
        ...plain(report),
        spent: report.spent / 1e6,
        worth: report.worth / 1e6,
        disagreements: await withRows(project, report),
      },
      contest: held ? plain(held) : null,
      comparisons: (held?.against ?? []).map(({ name, parts }, index) => ({
        name,
        run: against[index]!,
        says: Object.fromEntries(parts.map((part) => [part.part, conclusion(own.name, name, part)])),
      })),
      rowsNeeded: Object.fromEntries(
        report.parts.flatMap(({ part, accuracy, graded }) =>
          accuracy === null ? [] : [[part, Math.max(0, rowsForHalfWidth(accuracy, HALF_WIDTH) - graded)]],
        ),
      ),
    };
  },
});

const nameOf = ({ version }: TrialReport): string => `version ${version}`;

async function contestantAgainst(project: Project, report: TrialReport, against: string): Promise<Contestant> {
  const [, column] = COLUMN.exec(against) ?? [];
  if (column !== undefined) {
    const loaded = await versionOf(project, await project.template(report.template), report.version);
    const samples = await project.samples(await project.prepare(loaded.template), report.file, {});
    return columnContestant(project, loaded, samples, column, { sealed: report.sealed.graded });
  }
  for (const { name } of await project.listTemplates()) {
    const found = (await recordedTrials(project.ledger(), name, MOST_TRIALS)).find((one) => one.report.run === against);
    if (!found) continue;
    const { report: other } = found;
    const isSame = other.template === report.template && other.version === report.version;
    const told = other.template === report.template ? nameOf(other) : `${other.template}, ${nameOf(other)}`;
    return contestantOf(isSame || other.model !== report.model ? `${told} with ${other.model}` : told, other);
  }
  throw new YoroshiError("notFound", { what: "trial", name: against, known: [] });
}

/** The samples of the rows that were answered otherwise, as they stand in the file now. */
async function withRows(project: Project, { template, file, disagreements }: TrialReport): Promise<z.input<typeof disagreement>[]> {
  const { template: shape } = await project.template(template);
  const inputs = Object.keys(shape.inputs);
  const samples = await openSamples(project, file).catch(() => undefined);
  return disagreements.map((one) => {
    const line = Number(/(\d+)$/.exec(one.place)?.[1] ?? Number.NaN);
    // The first row of the file has the columns' names.
    const row = line - 1;
    const found = samples?.rows[row - 1];
    return found
      ? {
          ...one,
          row,
          mark: markOf(inputs, found),
          inputs: Object.fromEntries(inputs.flatMap((name) => (found[name] ? [[name, found[name]]] : []))),
        }
      : { ...one, inputs: {} };
  });
}
