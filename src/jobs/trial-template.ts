import { mkdir } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { contestReport, ModelFailure, toMicros, trialReport, YoroshiError, type Contestant } from "../core/index.js";
import type { Project } from "../project/index.js";
import { runContest, type ContestOptions, type ContestResult } from "./contest.js";
import { defineJob } from "./job.js";
import { modelError } from "./known-error.js";
import { count, money, plain } from "./schemas.js";
import { suggestVersion } from "./suggest-version.js";

const input = z.strictObject({
  template: z.string(),
  /** A CSV or JSON Lines file, a workbook, a table of a database. Default: samples/<template>.csv. */
  samples: z.string().optional(),
  /** Input or part -> column, where the column is not named after it. */
  map: z.record(z.string(), z.string()).optional(),
  /** Whose label counts where several people labelled. */
  judge: z.string().optional(),
  /** An earlier version instead of today's file. */
  version: z.int().optional(),
  /** Whom to compare with: a version's number, a template, `model=NAME`, `temperature=T`, `rowsPerRequest=N`, `column=PART:COLUMN`. */
  against: z.array(z.string()).readonly().optional(),
  /** How often each row is asked. Default 1. */
  asks: z.int().min(1).optional(),
  /** Part -> the template that judges its texts. */
  judgeBy: z.record(z.string(), z.string()).optional(),
  /** Columns by whose values the figures are told apart; also `month:`, `length:`, `script:COLUMN`. */
  slices: z.array(z.string()).readonly().optional(),
  /** Part -> how far a number may be off and still count as near. */
  within: z.record(z.string(), z.number().min(0)).optional(),
  /** The sealed samples; each look is counted. */
  sealed: z.boolean().optional(),
  /** The share of right answers for which a confidence is sought. Default 0.9. */
  reach: z.number().min(0).max(1).optional(),
  /** Resamples of each bootstrap interval; 0 leaves them out. Default 2,000. */
  resamples: z.int().min(0).optional(),
  seed: z.int().optional(),
  /** Most to spend, in units of the currency. */
  spend: z.number().min(0).optional(),
  /** The half-width of an interval, as a share, for which the HTML report tells how many rows are needed. Default 0.05. */
  halfWidth: z.number().gt(0).max(1).optional(),
  /** Write an HTML report: its path, or true for reports/<template>.html. */
  page: z.union([z.string(), z.literal(true)]).optional(),
  /** Have the model suggest better wording as a new version, and try that. */
  suggest: z.boolean().optional(),
});

const contestant = z.object({
  name: z.string(),
  /** Part -> share of right answers; null where nothing was graded. */
  parts: z.record(z.string(), z.number().nullable()),
  /** Cost and time of a thousand rows; null for a column. */
  costPerThousand: money.nullable(),
  msPerThousand: z.number().nullable(),
});

const suggestion = z.object({ version: z.int(), sentences: z.array(z.string()), contest: contestReport });

const report = z.object({
  ...trialReport.shape,
  spent: money,
  worth: money,
  standin: z.boolean(),
  /** Against each other contestant; null where there is none. */
  contest: z.nullable(contestReport),
  /** Whom it was held against. */
  contestants: z.array(contestant),
  /** Where the HTML report is. */
  reportFile: z.string().optional(),
  /** What the model suggested; null where that could not be used. */
  suggestion: suggestion.nullable().optional(),
});

export type TrialTemplateReport = z.output<typeof report>;
export type TrialContestant = z.output<typeof contestant>;

/** How far the samples are. */
const event = z.object({ type: z.literal("progress"), done: count, total: count });

export type TrialTemplateEvent = z.output<typeof event>;

const DEFAULT_HALF_WIDTH = 0.05;

/** How good a template is, with its uncertainty, and whether it is better than another. */
export const trialTemplate = defineJob<typeof input, typeof report, TrialTemplateEvent>({
  name: "trialTemplate",
  summary: "Grades a template on samples whose right answers are known, and compares it with others.",
  input,
  report,
  event,
  async run(project, choice, { signal, on }) {
    const options: ContestOptions = {
      samples: choice.samples,
      map: choice.map,
      judge: choice.judge,
      version: choice.version,
      against: choice.against,
      asks: choice.asks,
      judgeBy: choice.judgeBy,
      slices: choice.slices,
      sealed: choice.sealed,
      reach: choice.reach,
      spendCap: choice.spend === undefined ? undefined : toMicros(choice.spend),
      grading: { within: choice.within, resamples: choice.resamples, seed: choice.seed },
      signal,
      on: { progress: ({ done, total }) => on?.({ type: "progress", done, total }) },
    };
    if (choice.suggest && choice.sealed)
      throw new YoroshiError("badOption", {
        option: "--suggest",
        problem: "the sealed samples must not shape the template. Leave --sealed out.",
      });
    const result = await runContest(project, choice.template, options).catch(asTold);
    const page = choice.page === undefined ? undefined : await writePage(project, result, choice.page, choice.halfWidth);
    const suggested = choice.suggest ? await tryBetterWording(project, choice.template, result, options) : undefined;
    const { report: graded, others, contest, isStandin } = result;
    return {
      ...plain(graded),
      spent: graded.spent / 1e6,
      worth: graded.worth / 1e6,
      standin: isStandin,
      contest: contest ? plain(contest) : null,
      contestants: others.map(shown),
      ...(page === undefined ? {} : { reportFile: page }),
      ...(suggested === undefined ? {} : { suggestion: suggested }),
    };
  },
});

const asTold = (error: unknown): never => {
  throw error instanceof ModelFailure ? modelError(error, "the model's host") : error;
};

async function writePage(project: Project, result: ContestResult, page: string | true, halfWidth = DEFAULT_HALF_WIDTH): Promise<string> {
  const file = page === true ? path.join(project.root, "reports", `${result.report.template}.html`) : path.resolve(page);
  if (page === true) await mkdir(path.dirname(file), { recursive: true });
  // Charts take a while to load.
  const { writeTrialReport } = await import("./report-file.js");
  await writeTrialReport(project, result, file, halfWidth);
  return file;
}

async function tryBetterWording(
  project: Project,
  template: string,
  result: ContestResult,
  options: ContestOptions,
): Promise<z.input<typeof suggestion> | null> {
  const found = await suggestVersion(project, template, result, options).catch(asTold);
  if (!found) return null;
  const { version, sentences, contest } = found;
  return { version, sentences: [...sentences], contest: plain(contest) };
}

function shown({ name, parts, costPerThousand, msPerThousand }: Contestant): z.input<typeof contestant> {
  return {
    name,
    parts: Object.fromEntries(parts.map(({ part, accuracy }) => [part, accuracy])),
    costPerThousand: costPerThousand === undefined ? null : costPerThousand / 1e6,
    msPerThousand: msPerThousand ?? null,
  };
}
