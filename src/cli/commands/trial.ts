import { ModelFailure, toMicros, YoroshiError } from "../../core/index.js";
import { listTrials, modelError, runJob, type TrialsReport } from "../../jobs/index.js";
import { contestantOf, runContest, type ContestOptions, type ContestResult, type Project } from "../../project/index.js";
import { heading, note, out, outJson, percent, quiet, standinNote, table } from "../print/print.js";
import { printContest, printTrial } from "../print/trial.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface TrialCommandOptions extends CommonOptions {
  readonly samples?: string | undefined;
  readonly map?: readonly string[] | undefined;
  readonly judge?: string | undefined;
  readonly templateVersion?: number | undefined;
  readonly against?: readonly string[] | undefined;
  readonly asks?: number | undefined;
  readonly judgeBy?: readonly string[] | undefined;
  readonly slice?: readonly string[] | undefined;
  readonly within?: readonly string[] | undefined;
  readonly sealed?: boolean | undefined;
  readonly halfWidth?: number | undefined;
  readonly reach?: number | undefined;
  readonly resamples?: number | undefined;
  readonly seed?: number | undefined;
  readonly report?: string | undefined;
  readonly open?: boolean | undefined;
  readonly suggest?: boolean | undefined;
  readonly spend?: number | undefined;
  readonly all?: boolean | undefined;
}

const DEFAULT_HALF_WIDTH = 5;

/** `yoroshi trial`: how good a template is, with its uncertainty, and whether it is better than another. */
export async function trialCommand(name: string | undefined, options: TrialCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (name === undefined) return showTrials(project, options);
    const result = await runTrial(project, name, options);
    const { report, others, contest, isStandin } = result;
    const own = contestantOf(`version ${report.version}`, report);
    const file =
      options.report === undefined && !options.open
        ? undefined
        : await (await import("../write-report.js")).writeReport(project, result, options);
    if (options.json) {
      outJson({
        ...report,
        spent: report.spent / 1e6,
        worth: report.worth / 1e6,
        standin: isStandin,
        contest: contest ?? null,
        contestants: others.map(({ name: other, costPerThousand, msPerThousand }) => ({
          name: other,
          costPerThousand: costPerThousand === undefined ? null : costPerThousand / 1e6,
          msPerThousand: msPerThousand ?? null,
        })),
        ...(file ? { reportFile: file } : {}),
      });
    } else {
      printTrial(report, {
        currency: project.settings.currency,
        all: options.all === true,
        halfWidth: (options.halfWidth ?? DEFAULT_HALF_WIDTH) / 100,
      });
      if (contest) printContest(contest, own, others, project.settings.currency);
      if (file) out(`\nwritten: ${file}`);
      const standin = standinNote(isStandin);
      if (standin) note(standin);
    }
    if (options.suggest)
      await (await import("./suggest.js")).suggest(project, name, result, contestOptions(options), options.json === true);
    return report.unanswered > 0 ? 1 : 0;
  });
}

/** Runs the trial, and those it is held against. */
export async function runTrial(project: Project, name: string, options: TrialCommandOptions): Promise<ContestResult> {
  const bar = process.stderr.isTTY && !options.json;
  return runContest(project, name, {
    ...contestOptions(options),
    on: {
      progress: ({ done, total }) =>
        void (bar && process.stderr.write(`\r  ${done} of ${total} samples${done === total ? "\r\u001b[K" : ""}`)),
    },
  }).catch((error: unknown) => {
    throw error instanceof ModelFailure ? modelError(error, "the model's host") : error;
  });
}

export function contestOptions(options: TrialCommandOptions): ContestOptions {
  const map = pairs("--map", options.map);
  const within = Object.fromEntries(
    Object.entries(pairs("--within", options.within)).map(([part, value]) => [part, numberOf("--within", value)]),
  );
  return {
    samples: options.samples,
    version: options.templateVersion,
    against: options.against,
    asks: options.asks,
    judgeBy: pairs("--judge-by", options.judgeBy),
    slices: options.slice,
    sealed: options.sealed,
    reach: options.reach === undefined ? undefined : options.reach / 100,
    spendCap: options.spend === undefined ? undefined : toMicros(options.spend),
    grading: { within, resamples: options.resamples, seed: options.seed },
    ...(Object.keys(map).length > 0 ? { map } : {}),
    ...(options.judge === undefined ? {} : { judge: options.judge }),
  };
}

/** `yoroshi trial` without a name. */
async function showTrials(project: Project, options: CommonOptions): Promise<number> {
  const report = await runJob(listTrials, project, {});
  if (options.json) outJson(report);
  else if (report.trials.length === 0) out("No trial yet: `yoroshi trial TEMPLATE`.");
  else printTrials(report);
  return 0;
}

function printTrials({ trials }: TrialsReport): void {
  const lines = trials.map(({ at, template, version, model, samples, parts, best }) => {
    const right = Object.entries(parts).map(([part, accuracy]) => `${part} ${percent(accuracy)}`);
    return [at.slice(0, 16).replace("T", " "), template, version, model, samples, right.join(", "), best.join(", ")];
  });
  out(heading("Trials"));
  out(table(["when", "template", "version", "model", "samples", "right", "best so far on"], lines, { right: [2, 4] }));
  out(quiet("Best is by the figures alone; `yoroshi trial TEMPLATE --against VERSION` tells whether it could be chance."));
}

function pairs(option: string, given: readonly string[] = []): Record<string, string> {
  return Object.fromEntries(
    given.map((pair) => {
      const at = pair.indexOf("=");
      if (at < 1) throw new YoroshiError("badOption", { option, problem: `\`${pair.slice(0, 30)}\` is not \`name=value\`.` });
      return [pair.slice(0, at), pair.slice(at + 1)];
    }),
  );
}

function numberOf(option: string, text: string): number {
  const number = Number(text);
  if (!(number >= 0) || text.trim() === "") throw new YoroshiError("badOption", { option, problem: `\`${text}\` is not a number.` });
  return number;
}
