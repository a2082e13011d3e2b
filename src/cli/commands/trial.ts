import { ModelFailure, toMicros, YoroshiError, type TrialReport } from "../../core/index.js";
import { modelError } from "../../jobs/index.js";
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
    if (name === undefined) return listTrials(project, options);
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

/** `yoroshi trial` without a name: every trial of the project, newest first, with who did best on which part. */
async function listTrials(project: Project, options: CommonOptions): Promise<number> {
  const ledger = project.ledger();
  const lines: {
    at: string;
    template: string;
    version: number;
    model: string;
    file: string;
    samples: number;
    parts: Record<string, number | null>;
    best: string[];
  }[] = [];
  for (const { name } of await project.listTemplates()) {
    const runs = await ledger.runs.find("trial", name, 100);
    const reports = runs.flatMap((run) => (run.tally ? [{ at: run.startedAt, report: run.tally as unknown as TrialReport }] : []));
    for (const { at, report } of reports) {
      const rivals = reports
        .map((other) => other.report)
        .filter((other) => other.file === report.file && other.sealed?.graded === report.sealed?.graded);
      const best = report.parts
        .filter((part) =>
          rivals.every((rival) => (rival.parts.find((one) => one.part === part.part)?.accuracy ?? 0) <= (part.accuracy ?? 0)),
        )
        .map((part) => part.part);
      lines.push({
        at: new Date(at).toISOString(),
        template: name,
        version: report.version,
        model: report.model,
        file: report.file,
        samples: report.samples,
        parts: Object.fromEntries(report.parts.map((part) => [part.part, part.accuracy])),
        best,
      });
    }
  }
  lines.sort((a, b) => b.at.localeCompare(a.at));
  if (options.json) outJson({ trials: lines });
  else if (lines.length === 0) out("No trial yet: `yoroshi trial TEMPLATE`.");
  else {
    out(heading("Trials"));
    out(
      table(
        ["when", "template", "version", "model", "samples", "right", "best so far on"],
        lines.map((line) => [
          `${line.at.slice(0, 16).replace("T", " ")}`,
          line.template,
          line.version,
          line.model,
          line.samples,
          Object.entries(line.parts)
            .map(([part, accuracy]) => `${part} ${percent(accuracy)}`)
            .join(", "),
          line.best.join(", "),
        ]),
        { right: [2, 4] },
      ),
    );
    out(quiet("Best is by the figures alone; `yoroshi trial TEMPLATE --against VERSION` tells whether it could be chance."));
  }
  return 0;
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
