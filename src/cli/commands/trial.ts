import path from "node:path";
import { YoroshiError } from "../../core/ground/index.js";
import {
  listTrials,
  runJob,
  trialTemplate,
  type JobInput,
  type Project,
  type TrialsReport,
  type TrialTemplateEvent,
  type TrialTemplateReport,
} from "../../jobs/index.js";
import { openFile } from "../open-file.js";
import { heading, note, out, outJson, percent, quiet, standinNote, table, warn } from "../print/print.js";
import { printConclusions, printContest, printTrial } from "../print/trial.js";
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

const DEFAULT_HALF_WIDTH = 0.05;

/** `yoroshi trial`: how good a template is, with its uncertainty, and whether it is better than another. */
export async function trialCommand(name: string | undefined, options: TrialCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (name === undefined) return showTrials(project, options);
    const report = await runTrial(project, inputOf(name, options), options.json === true);
    const file = report.reportFile === undefined ? undefined : path.relative(process.cwd(), report.reportFile) || report.reportFile;
    if (options.json) outJson({ ...report, ...(file === undefined ? {} : { reportFile: file }) });
    else printAll(report, file, project, options);
    if (options.open && report.reportFile !== undefined) openFile(report.reportFile);
    return report.unanswered > 0 ? 1 : 0;
  });
}

function printAll(report: TrialTemplateReport, file: string | undefined, project: Project, options: TrialCommandOptions): void {
  const { currency } = project.settings;
  printTrial(report, { currency, all: options.all === true, halfWidth: share(options.halfWidth) ?? DEFAULT_HALF_WIDTH });
  printContest(report, currency);
  if (file !== undefined) out(`\nwritten: ${file}`);
  const standin = standinNote(report.standin);
  if (standin) note(standin);
  if (report.suggestion !== undefined) printSuggestion(report.template, report.suggestion);
}

/** Better wording as a version of its own, tried and told, not applied. */
function printSuggestion(template: string, suggestion: TrialTemplateReport["suggestion"]): void {
  if (!suggestion) return out(`\n${warn("The model suggested nothing that could be used.")}`);
  const { version, sentences, contest } = suggestion;
  out(`\n${heading(`Suggested: version ${version}`)}  ${quiet("in the ledger only; the template's file stands as it was")}`);
  for (const sentence of sentences) out(`  + ${sentence}`);
  printConclusions(contest);
  out(
    quiet(
      `\nyoroshi versions ${template} --diff ${version} shows it; --restore ${version} makes it the template. The gain on rows that it was made from flatters it: keep some sealed.`,
    ),
  );
}

/** Runs the trial, and those it is held against, with a count of samples on a terminal. */
export async function runTrial(project: Project, input: TrialInput, isQuiet: boolean): Promise<TrialTemplateReport> {
  const bar = process.stderr.isTTY && !isQuiet;
  const on = ({ done, total }: TrialTemplateEvent): void => {
    if (bar) process.stderr.write(`\r  ${done} of ${total} samples${done === total ? "\r\u001b[K" : ""}`);
  };
  return (await runJob(trialTemplate, project, input, { on })) as TrialTemplateReport;
}

type TrialInput = JobInput<typeof trialTemplate>;

const share = (percentage: number | undefined): number | undefined => (percentage === undefined ? undefined : percentage / 100);

function inputOf(template: string, options: TrialCommandOptions): TrialInput {
  return {
    template,
    samples: options.samples,
    map: pairs("--map", options.map),
    judge: options.judge,
    version: options.templateVersion,
    against: options.against,
    asks: options.asks,
    judgeBy: pairs("--judge-by", options.judgeBy),
    slices: options.slice,
    within: Object.fromEntries(
      Object.entries(pairs("--within", options.within)).map(([part, value]) => [part, numberOf("--within", value)]),
    ),
    sealed: options.sealed,
    reach: share(options.reach),
    resamples: options.resamples,
    seed: options.seed,
    spend: options.spend,
    halfWidth: share(options.halfWidth),
    page: options.report ?? (options.open ? true : undefined),
    suggest: options.suggest,
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
