import type * as z from "zod";
import { formatMoney, plural } from "../../core/ground/index.js";
import {
  capAdvice,
  errorJson,
  exitOf,
  fillPlan,
  previewFill,
  runJob,
  undoFill,
  type FilledPlan,
  type FillPlanEvent,
  type PreviewedPlan,
  type Project,
} from "../../jobs/index.js";
import { bad, duration, good, heading, note, out, outJson, quiet, standinNote, table, warn } from "../print/print.js";
import { afterwardsLines, wouldActLines } from "../print/afterwards.js";
import { hostLine } from "../print/hosts.js";
import { fillProgress, spreadProgress } from "../print/progress.js";
import { reportError, tellError } from "../report-error.js";
import { interruptible } from "../signals.js";
import { withProject, type CommonOptions } from "../with-project.js";
import { withWorkers } from "../with-workers.js";

interface FillCommandOptions extends CommonOptions {
  readonly dryRun?: boolean | undefined;
  readonly rows?: number | undefined;
  readonly only?: readonly string[] | undefined;
  readonly where?: string | undefined;
  readonly column?: readonly string[] | undefined;
  readonly refill?: string | undefined;
  readonly overwrite?: readonly string[] | undefined;
  readonly standing?: "keep" | "renew" | undefined;
  readonly spend?: number | undefined;
  readonly inPlace?: boolean | undefined;
  readonly ignoreGate?: boolean | undefined;
  readonly createColumns?: boolean | undefined;
  readonly sample?: number | undefined;
  readonly seed?: number | undefined;
  readonly probe?: boolean | undefined;
  readonly derived?: boolean | undefined;
  readonly fromStart?: boolean | undefined;
  readonly undo?: string | undefined;
  readonly spread?: boolean | undefined;
  readonly workers?: number | undefined;
  readonly chunk?: number | undefined;
}

/** `yoroshi fill`: exit 0 when every row is as it should be, 1 when some failed or a limit stopped it, 3, 130. */
export async function fillCommand(name: string, options: FillCommandOptions): Promise<number> {
  const { column, only, where, refill, rows, sample, seed, overwrite, standing, spend, createColumns, derived, fromStart } = options;
  const choice = {
    plan: name,
    columns: column,
    only,
    where,
    refill,
    rows,
    sample,
    seed,
    overwrite,
    standing,
    spend,
    createColumns,
    derived,
    fromStart,
  };
  if (options.undo !== undefined) return undo(name, options.undo, options);
  return withProject(options, (project) =>
    options.dryRun
      ? dryRun(project, choice, options)
      : withWorkers(options, project.root, () =>
          fillAndShow(
            project,
            {
              ...choice,
              inPlace: options.inPlace,
              ignoreGate: options.ignoreGate,
              probe: options.probe,
              spread: options.spread,
              rowsPerChunk: options.chunk,
            },
            options,
          ),
        ),
  );
}

/** Puts back what stood before a run. */
async function undo(plan: string, run: string, options: FillCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(undoFill, project, { plan, run, inPlace: options.inPlace });
    if (options.json) outJson(report);
    else {
      const rows = Object.entries(report.rows).map(([step, count]) => `${step}: ${plural(count, "row")}`);
      out(`${good("put back")}  as before the run ${report.run}: ${rows.join(", ") || "nothing"}`);
      if (report.movedOn > 0) out(warn(`${plural(report.movedOn, "row")} left, decided or filled anew since: ${report.keys.join(", ")}`));
      out(report.written ? `  written: ${report.target}` : `  ${report.target} was not written`);
      out(quiet("The answers are known still: the next fill gives them again, unless the template, the rows or the plan is another."));
    }
    return 0;
  });
}

/** What is filled, as the job takes it. */
type FillChoice = z.input<(typeof fillPlan)["input"]>;

/** Fills a plan and shows how it goes, and what came of it. */
export async function fillAndShow(
  project: Project,
  choice: FillChoice,
  options: CommonOptions & { readonly isDemo?: boolean; readonly workers?: number | undefined },
): Promise<number> {
  const { currency } = project.settings;
  const isJson = options.json === true;
  const done: FilledPlan[] = [];
  let progress: ReturnType<typeof fillProgress> | undefined;
  let spreading: ReturnType<typeof spreadProgress> | undefined;
  const on = (event: FillPlanEvent): void => {
    switch (event.type) {
      case "begin":
        if (done.length > 0 && !isJson) out("");
        return;
      case "notice":
        return note(event.isWarning ? warn(event.text) : event.text);
      case "host":
        return note(
          event.state === "open"
            ? warn(`\n${event.host} keeps failing (${event.problem ?? "no reply"}); waiting for it, with one request at a time.`)
            : `\n${event.host} answers again.`,
        );
      case "spread":
        return (spreading ??= spreadProgress(!isJson, options.workers === undefined)).update(event.progress);
      case "progress":
        if (spreading && !event.progress.inFlight) return;
        return (progress ??= fillProgress(currency, !isJson)).update(event.progress);
      case "end":
        progress?.stop();
        progress = undefined;
        done.push(event.filled);
        // The demo says once who answered.
        if (!isJson) printFilled(event.filled, currency, options.isDemo !== true);
        if (event.filled.rows === 0 && event.filled.end === "done")
          for (const line of whyNoRow(event.filled, choice.where)) note(warn(line));
    }
  };
  const { signals, release } = interruptible();
  try {
    const { feeds, ...report } = await runJob(fillPlan, project, choice, { ...signals, on });
    const failed = [report, ...(report.derived ?? [])].find(({ error }) => error)?.error;
    if (isJson) outJson(failed ? { ...report, error: failed } : report);
    else if (feeds.length > 0 && !report.derived)
      note(
        quiet(
          `Made of its rows: ${feeds.join(", ")}. \`yoroshi fill ${choice.plan} --derived\` fills ${feeds.length === 1 ? "it" : "them"}, too.`,
        ),
      );
    if (failed) tellError(failed.message);
    return Math.max(...[report, ...(report.derived ?? [])].map(exitOf));
  } catch (error) {
    if (!isJson || done.length === 0) throw error;
    // What was done before, and why it ended, in one object.
    const [first, ...derived] = done;
    outJson({ ...first, ...(derived.length > 0 ? { derived } : {}), error: errorJson(error) });
    return reportError(error, false);
  } finally {
    progress?.stop();
    release();
  }
}

async function dryRun(project: Project, choice: object, options: CommonOptions): Promise<number> {
  const report = await runJob(previewFill, project, choice);
  if (options.json) outJson(report);
  else {
    for (const [index, one] of [report, ...(report.derived ?? [])].entries()) {
      if (index > 0) out("");
      printPreview(one, project.settings.currency);
    }
  }
  return 0;
}

/** An amount in units of the currency, for people. */
const amountIn =
  (currency: string) =>
  (amount: number): string =>
    formatMoney(Math.round(amount * 1e6), currency);

function printPreview(result: PreviewedPlan, currency: string): void {
  const money = amountIn(currency);
  const several = Object.keys(result.steps).length > 1;
  out(heading(`Plan ${result.plan}`) + quiet(`  ${result.table}, ${plural(result.rows, "row")}; nothing is asked`));
  const about = result.counted < result.asked ? ` (from the first ${result.counted} prompts)` : "";
  out(
    table(
      ["", ""],
      [
        ["to ask", plural(result.asked, several ? "question" : "row")],
        ["to read", plural(result.needs.files, "picture or document", "pictures and documents")],
        ["to search", plural(result.needs.searches, "search", "searches")],
        ["to fetch", `${plural(result.needs.pages, "page")}${result.needs.searches > 0 ? " at most" : ""}`],
        ["depend on answers", `${plural(result.unknown, "row")} of later steps, counted as if all were asked`],
        ["known or doubled", plural(result.reused, "row")],
        ["settled by rules", plural(result.ruled, "row")],
        ["skipped", plural(result.skipped, "row")],
        ["edited by a person", plural(result.edited, "row")],
        ["cannot be asked", plural(result.failed, "row")],
        ["left by a limit", plural(result.blank, "row")],
        ["tokens", `about ${result.tokensIn.toLocaleString("en")} in, ${result.tokensOut.toLocaleString("en")} out${about}`],
        [
          "cost",
          result.unpriced === undefined
            ? `about ${money(result.cost)}; at the dearest ${money(result.dearest)}`
            : `unknown: the model ${result.unpriced} has no price in yoroshi.yaml`,
        ],
      ].filter(([label, value]) => ["to ask", "tokens", "cost"].includes(label!) || !value!.startsWith("0 ")),
    ),
  );
  if (several) out(stepTable(result.steps));
  for (const line of wouldActLines(result.afterwards ?? [])) out(`  ${line}`);
}

const FIGURES = ["asked", "reused", "ruled", "filled", "edited", "stale", "held", "skipped", "failed", "blank"] as const;
type Figures = Readonly<Record<(typeof FIGURES)[number], number>>;

/** What became, or would become, of the rows in each step. */
function stepTable(steps: Readonly<Record<string, Figures>>): string {
  const titles: Partial<Record<(typeof FIGURES)[number], string>> = { reused: "known", ruled: "by rule", blank: "not reached" };
  const used = FIGURES.filter((figure) => figure === "filled" || Object.values(steps).some((tally) => tally[figure] > 0));
  return table(
    ["step", ...used.map((figure) => titles[figure] ?? figure)],
    Object.entries(steps).map(([name, tally]) => [name, ...used.map((figure) => tally[figure])]),
    { right: used.map((_, index) => index + 1) },
  );
}

/** Nothing is chosen silently. */
function whyNoRow({ madeOf }: FilledPlan, where: string | undefined): string[] {
  if (where !== undefined) return ["--where holds for no row. Cells are text: a number is compared as `double(row.length) > 4.0`."];
  return madeOf === undefined ? [] : [`The plan ${madeOf} gives no rows yet. Fill it first: \`yoroshi fill ${madeOf} --derived\`.`];
}

function printFilled(report: FilledPlan, currency: string, tellsStandin: boolean): void {
  const money = amountIn(currency);
  out(heading(`Plan ${report.plan}`) + quiet(`  ${plural(report.rows, "row")} of ${report.table} in ${duration(report.tookMs)}`));
  const states = [
    good(`${report.filled} filled`),
    report.edited > 0 && warn(`${report.edited} edited by a person, kept`),
    report.stale > 0 && warn(`${report.stale} out of date, kept`),
    report.skipped > 0 && `${report.skipped} skipped`,
    report.held > 0 && warn(`${report.held} held for a person`),
    report.failed > 0 && bad(`${report.failed} failed`),
    report.blank > 0 && warn(`${report.blank} not reached`),
  ];
  const several = Object.keys(report.steps).length > 1;
  // Of several steps the table below tells how each stands; a sum over them would count no rows.
  if (!several) out(`  ${states.filter(Boolean).join(" · ")}`);
  const asked = `${plural(report.asked, several ? "question" : "row")} asked, ${report.reused} known already${report.ruled > 0 ? `, ${report.ruled} settled by rules` : ""}`;
  out(
    `  ${asked} · ${report.tokensIn.toLocaleString("en")} tokens in, ${report.tokensOut.toLocaleString("en")} out · ${money(report.spent)} spent`,
  );
  if (several) out(stepTable(report.steps));
  for (const line of remarks(report, money)) out(`  ${line}`);
  for (const line of report.afterwards ? afterwardsLines(report.afterwards) : []) out(`  ${line}`);
  out(
    report.written
      ? `  written: ${report.target}`
      : report.end === "done"
        ? `  ${report.target} stands as it should; it was not written again`
        : "  nothing was written",
  );
  for (const line of advice(report, currency)) note(line);
  const standin = standinNote(tellsStandin && report.standin);
  if (standin) note(standin);
}

/** What a person should know of the values, the table and the cost. */
function remarks({ unsure, newEdits, earlier, notes, hosts, refused }: FilledPlan, money: (amount: number) => string): string[] {
  const some = (keys: readonly string[], rows: number, shown: number): string =>
    quiet(`  (${keys.slice(0, shown).join(", ")}${rows > Math.min(shown, keys.length) ? " …" : ""})`);
  return [
    ...(unsure > 0 ? [warn(`Up to ${money(unsure)} more may have been charged for requests that broke off.`)] : []),
    ...(newEdits > 0 ? [warn(`${plural(newEdits, "cell was", "cells were")} edited by a person since the last fill; kept.`)] : []),
    ...(earlier > 0
      ? [warn(`${plural(earlier, "row")} stood as after an earlier fill (an old result put back?); written as they are now.`)]
      : []),
    ...notes.map(({ note: told, rows, keys }) => `${warn(`${plural(rows, "row")}: ${told}`)}${some(keys, rows, 3)}`),
    ...hosts.map(hostLine),
    ...refused.map(
      ({ rows, keys, columns, problem }) =>
        `${bad(`${plural(rows, "row")} did not take ${columns.join(", ")}: ${problem}.`)}${some(keys, rows, keys.length)}`,
    ),
  ];
}

function advice({ plan, end, capped, failed, skipped, held }: FilledPlan, currency: string): string[] {
  const lines: string[] = [];
  const micros = (amount: number): number => Math.round(amount * 1e6);
  if (end === "interrupted") lines.push(`Interrupted. \`yoroshi fill ${plan}\` goes on; what is answered is not asked again.`);
  if (capped) lines.push(capAdvice({ why: capped.why, needs: micros(capped.needs), cap: micros(capped.cap) }, currency));
  if (end === "rowLimit") lines.push(`The limit of rows was reached. \`yoroshi fill ${plan}\` goes on.`);
  if (held > 0) lines.push(quiet(`\`yoroshi review ${plan}\` shows what is held; \`--check\` the random check.`));
  if (failed + skipped > 0) lines.push(quiet(`\`yoroshi status ${plan}\` tells why cells are empty.`));
  return lines;
}
