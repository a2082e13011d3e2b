import { compare, earlierTrial, formatMoney, ModelFailure, plural, readTemplate, toMicros, trial, YoroshiError, type PartComparison, type PartGrade, type TrialReport } from "../../core/index.js";
import type { LoadedTemplate, Project } from "../../project/index.js";
import { bad, cut, duration, good, heading, note, out, outJson, percent, quiet, standinNote, table, warn } from "../print/print.js";
import { modelError } from "../report-error.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface TrialOptions extends CommonOptions {
  readonly samples?: string | undefined;
  readonly templateVersion?: number | undefined;
  readonly against?: number | undefined;
  readonly spend?: number | undefined;
  readonly all?: boolean | undefined;
}

const SHOWN_DISAGREEMENTS = 8;

/** `yoroshi trial`: accuracy with its uncertainty, what is confused with what, and the rows that disagree. */
export async function trialCommand(name: string, options: TrialOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { report, before, isStandin } = await runTrial(project, name, options);
    const comparison = before ? compare(report.parts, before.parts) : [];
    if (options.json) {
      outJson({ ...report, spent: report.spent / 1e6, worth: report.worth / 1e6, standin: isStandin, comparedWith: before ? { version: before.version, parts: comparison } : null });
    } else {
      printTrial(report, project.settings.currency, options.all === true);
      if (before) printComparison(report, before, comparison);
      const standin = standinNote(isStandin);
      if (standin) note(standin);
    }
    return report.unanswered > 0 ? 1 : 0;
  });
}

/** Runs the trial and finds the earlier one to hold it against. */
export async function runTrial(project: Project, name: string, options: TrialOptions): Promise<{ report: TrialReport; before: TrialReport | undefined; isStandin: boolean }> {
  const loaded = await versionOf(project, await project.template(name), options.templateVersion);
  const prepared = await project.prepare(loaded.template);
  const samples = await project.samples(prepared, options.samples);
  const { model, others, isStandin } = await project.openModels(loaded.template);
  const { version } = await project.version(loaded);
  const bar = process.stderr.isTTY && !options.json;
  const report = await trial(
    { prepared, version, model, others, ledger: project.ledger(), clock: project.clock, samples },
    {
      spendCap: options.spend === undefined ? undefined : toMicros(options.spend),
      onProgress: (done, total) => bar && process.stderr.write(`\r  ${done} of ${total} samples${done === total ? "\r\u001b[K" : ""}`),
    },
  ).catch((error: unknown) => {
    throw error instanceof ModelFailure ? modelError(error, model.host) : error;
  });
  return { report, before: await earlierTrial(project.ledger(), report, options.against), isStandin };
}

async function versionOf(project: Project, loaded: LoadedTemplate, version: number | undefined): Promise<LoadedTemplate> {
  if (version === undefined) return loaded;
  await project.version(loaded);
  const all = await project.ledger().versions(loaded.template.name);
  const found = all.find((candidate) => candidate.version === version);
  if (!found) throw new YoroshiError("notFound", { what: `version of ${loaded.template.name}`, name: String(version), known: all.map((candidate) => String(candidate.version)) });
  const { template } = readTemplate(found.text, loaded.file);
  if (!template) throw new YoroshiError("misuse", { problem: `Version ${version} of ${loaded.template.name} can no longer be read.` });
  return { template, file: loaded.file, text: found.text };
}

export function printTrial(report: TrialReport, currency: string, all: boolean): void {
  out(heading(`Trial of ${report.template}, version ${report.version}`) + quiet(`  ${plural(report.samples, "sample")} of ${report.file}, model ${report.model}`));
  out(table(["part", "right", "accuracy", "95 % interval", ""], report.parts.map(partLine), { right: [1, 2] }));
  if (report.examples.length > 0) out(quiet(`  ${plural(report.examples.length, "row")} of the file ${report.examples.length === 1 ? "is an example" : "are examples"} in the template and not graded.`));
  for (const part of report.parts) printConfusion(part);
  if (report.secondLook) {
    out(`\n${heading("What the second look did")}`);
    for (const { part, won, lost, rows, p } of report.secondLook) out(`  ${part}: ${won === 0 && lost === 0 ? `changed nothing for better or worse in ${plural(rows, "row")}` : `put ${won} right, spoilt ${lost} of ${plural(rows, "row")} ${quiet(`(exact McNemar p = ${p.toFixed(4)})`)}`}`);
  }
  printDisagreements(report, all);
  if (report.unfit.length > 0) {
    out(`\n${warn(`${plural(report.unfit.length, "label or row", "labels or rows")} left out:`)}`);
    out(table(["row", "what", "why"], report.unfit.map(({ id, what, problem, near }) => [id, what, near ? `${problem} (is \`${near}\` meant?)` : problem])));
  }
  const answers = `${report.asked} asked, ${report.reused} known`;
  out(`\n${quiet(`${answers} · ${formatMoney(report.spent, currency)} now, ${formatMoney(Math.round((report.worth / Math.max(1, report.samples)) * 1000), currency)} a thousand rows · ${duration(report.tookMs)}`)}`);
}

function partLine(part: PartGrade): string[] {
  const { low, high } = part.interval;
  const extra = [part.unanswered > 0 ? `${part.unanswered} without an answer` : "", part.meanAbsoluteError === undefined ? "" : `mean error ${part.meanAbsoluteError.toFixed(2)}`].filter(Boolean);
  return [part.part, `${part.right} of ${part.graded}`, percent(part.accuracy), `${percent(low)} to ${percent(high)}`, extra.join(", ")];
}

function printConfusion({ part, confusion }: PartGrade): void {
  if (!confusion || confusion.labels.length < 2) return;
  const { labels, counts } = confusion;
  const anyUnanswered = counts.some((row) => row.at(-1)! > 0);
  // Long names would not fit across, so the columns carry the rows' numbers.
  const numbered = labels.length > 6 || labels.some((label) => label.length > 10);
  out(`\n${heading(part)}  ${quiet("right value down, answer across")}`);
  const head = [...(numbered ? [""] : []), "", ...labels.map((label, index) => (numbered ? String(index + 1) : label)), ...(anyUnanswered ? ["none"] : [])];
  const rows = labels.map((label, row) => [
    ...(numbered ? [quiet(String(row + 1))] : []),
    cut(label, 24),
    ...labels.map((_, column) => cell(counts[row]![column]!, row === column)),
    ...(anyUnanswered ? [cell(counts[row]!.at(-1)!, false)] : []),
  ]);
  out(table(head, rows, { right: head.map((_, index) => index).filter((index) => index !== (numbered ? 1 : 0)) }));
}

function cell(count: number, onDiagonal: boolean): string {
  if (count === 0) return quiet("·");
  return onDiagonal ? good(String(count)) : bad(String(count));
}

function printDisagreements({ disagreements }: TrialReport, all: boolean): void {
  if (disagreements.length === 0) return;
  const shown = all ? disagreements : disagreements.slice(0, SHOWN_DISAGREEMENTS);
  out(`\n${heading("Rows that disagree")}  ${quiet(shown.length < disagreements.length ? `${shown.length} of ${disagreements.length}; --all lists them` : String(disagreements.length))}`);
  out(table(["row", "part", "right", "answered", "the model's reason"], shown.map(({ id, part, truth, answer, why }) => [id, part, cut(truth, 18), answer === null ? "(none)" : cut(answer, 18), cut(why ?? "", 44)])));
}

export function printComparison(report: TrialReport, before: TrialReport, comparison: readonly PartComparison[]): void {
  if (comparison.length === 0) return;
  out(`\n${heading(`Version ${report.version} against version ${before.version}`)}  ${quiet("on the same rows")}`);
  for (const part of comparison) out(`  ${part.part}: ${conclusion(report, before, part)}`);
}

function conclusion(report: TrialReport, before: TrialReport, { rows, difference, won, lost, p, beyondChance }: PartComparison): string {
  const points = `${difference >= 0 ? "+" : "−"}${Math.abs(difference * 100).toFixed(1)} points`;
  const detail = quiet(`(${won} rows won, ${lost} lost of ${rows}; exact McNemar ${p < 0.0001 ? "p under 0.0001" : `p = ${p.toFixed(4)}`})`);
  if (!beyondChance) return `${points}; these ${rows} rows cannot tell the two apart ${detail}`;
  return difference > 0 ? `${good(`version ${report.version} is better, ${points}`)} ${detail}` : `${bad(`version ${before.version} is better, ${points}`)} ${detail}`;
}
