import { adviseCondition, checkFilled, columnsOf, fill, formatMoney, nearest, plural, preflight, preview, readCondition, readGate, targetColumns, toMicros, YoroshiError, type FillEvents, type FillOptions, type FillReport, type FillSetup, type Preview, type StepTallies } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { bad, duration, good, heading, note, out, outJson, quiet, standinNote, table, warn } from "../print/print.js";
import { fillProgress } from "../print/progress.js";
import { capAdvice, errorJson, modelError, reportError } from "../report-error.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface FillCommandOptions extends CommonOptions {
  readonly dryRun?: boolean | undefined;
  readonly rows?: number | undefined;
  readonly only?: readonly string[] | undefined;
  readonly where?: string | undefined;
  readonly column?: readonly string[] | undefined;
  readonly refill?: FillOptions["refill"];
  readonly overwrite?: readonly string[] | undefined;
  readonly standing?: FillOptions["standing"];
  readonly spend?: number | undefined;
  readonly inPlace?: boolean | undefined;
  readonly ignoreGate?: boolean | undefined;
  readonly createColumns?: boolean | undefined;
  readonly sample?: number | undefined;
  readonly seed?: number | undefined;
  readonly probe?: boolean | undefined;
  readonly derived?: boolean | undefined;
}

/** `yoroshi fill`: exit 0 when every row is as it should be, 1 when some failed or a limit stopped it, 3, 130. */
export async function fillCommand(name: string, options: FillCommandOptions): Promise<number> {
  return withProject(options, async (project) => {
    const told: object[] = [];
    const tell = (report: object): void => void told.push(report);
    try {
      let worst = await fillOne(project, name, options, tell);
      const derived = await project.derivedFrom(name);
      // What is made of rows that are not all there would be made anew at once.
      for (const plan of options.derived && worst <= 1 ? derived : []) {
        if (!options.json) out("");
        const code = await fillOne(project, plan, { json: options.json, dryRun: options.dryRun, probe: options.probe, createColumns: options.createColumns, spend: options.spend }, tell);
        worst = Math.max(worst, code);
        if (code > 1) break;
      }
      if (!options.json && derived.length > 0 && !options.derived) note(quiet(`Made of its rows: ${derived.join(", ")}. \`yoroshi fill ${name} --derived\` fills ${derived.length === 1 ? "it" : "them"}, too.`));
      if (options.json) outJson(together(told));
      return worst;
    } catch (error) {
      if (!options.json || told.length === 0) throw error;
      // Of a run that its model's host ended: what was done, and why it ended, in one object.
      outJson({ ...together(told), error: errorJson(error) });
      return reportError(error, false);
    }
  });
}

/** What was told of a plan, with what was told of those made of it. */
const together = ([first, ...derived]: readonly object[]): object => (derived.length > 0 ? { ...first, derived } : first!);

/** One plan; with `--json`, `tell` gets what would be printed. */
async function fillOne(project: Project, name: string, options: FillCommandOptions, tell: (report: object) => void): Promise<number> {
  const { setup, isStandin } = await project.fillSetup(name, { inPlace: options.inPlace === true, asks: options.dryRun !== true });
  const chosen: FillOptions = {
    refill: options.refill ?? (options.column ? "all" : undefined),
    columns: options.column,
    only: options.only,
    where: options.where,
    rows: options.rows,
    sample: options.sample,
    seed: options.seed,
    overwrite: options.overwrite,
    standing: options.standing,
    createColumns: options.createColumns,
    spendCap: options.spend === undefined ? undefined : toMicros(options.spend),
  };
  await checkWhere(setup, options.where);
  checkFilled(setup.plan, "--column", options.column);
  checkFilled(setup.plan, "--overwrite", options.overwrite);
  if (options.column && !options.only && options.where === undefined && options.sample === undefined) throw new YoroshiError("badOption", { option: "--column", problem: "say for which rows it is asked again: --only KEY, --where or --sample. All rows: --refill all." });
  if (options.createColumns) {
    const statements = (await setup.table.missingColumns?.(targetColumns(setup))) ?? [];
    for (const statement of statements) note(`${statement};`);
  }
  const gate = await readGate(setup);
  if (!gate.open && !options.dryRun) {
    if (!options.ignoreGate) throw new YoroshiError("gateClosed", { plan: setup.plan.name, template: gate.template, reason: gate.reason });
    note(warn(`Filled in spite of the gate: ${gate.reason}.`));
  }
  if (!options.dryRun) {
    const problems = await preflight(setup, { ...chosen, tokenizer, probe: options.probe !== false && !isStandin });
    if (problems.length > 1) throw new YoroshiError("notReady", { plan: setup.plan.name, problems: problems.map(({ message }) => message) });
    for (const { error, host } of problems) throw error instanceof YoroshiError ? error : modelError(error, host);
  }
  return options.dryRun ? dryRun(project, setup, isStandin, chosen, options, tell) : runFill(project, setup, isStandin, chosen, options, tell);
}

/** A column that the table does not have would quietly leave every row out. */
async function checkWhere({ table: source, plan }: FillSetup, where: string | undefined): Promise<void> {
  const { condition, problem } = where === undefined ? {} : readCondition(where);
  if (problem !== undefined) throw new YoroshiError("badOption", { option: "--where", problem: `this condition cannot be read as CEL: ${adviseCondition(where!, problem)}.` });
  const known = [...new Set([...(await source.columns()), ...Object.values(plan.steps).flatMap(columnsOf)])];
  for (const column of condition?.columns ?? []) {
    if (known.includes(column)) continue;
    const near = nearest(column, known);
    throw new YoroshiError("badOption", { option: "--where", problem: `${source.name} has no column \`${column}\`.${near ? ` Did you mean \`${near}\`?` : ` Columns: ${known.join(", ")}.`}` });
  }
}

/** Takes a second to load. */
async function tokenizer(): Promise<(text: string) => number> {
  const { countTokens } = await import("gpt-tokenizer/encoding/o200k_base");
  return (text) => countTokens(text);
}

async function dryRun(project: Project, setup: FillSetup, isStandin: boolean, chosen: FillOptions, options: FillCommandOptions, tell: (report: object) => void): Promise<number> {
  const result = await preview(setup, chosen, await tokenizer());
  if (options.json) tell(previewJson(result, setup, isStandin));
  else printPreview(setup, result, project.settings.currency);
  return 0;
}

function previewJson(result: Preview, setup: FillSetup, isStandin: boolean): object {
  const { spent: _, tokensIn: __, tokensOut: ___, estimate, dearest, ...rest } = result;
  return { ...rest, dryRun: true, model: modelIds(setup), standin: isStandin, tokensIn: estimate.tokensIn, tokensOut: estimate.tokensOut, cost: estimate.cost / 1e6, dearest: dearest / 1e6, priced: withoutPrice(setup) === undefined };
}

function printPreview(setup: FillSetup, result: Preview, currency: string): void {
  const { plan, table: source } = setup;
  const unpriced = withoutPrice(setup);
  out(heading(`Plan ${plan.name}`) + quiet(`  ${source.name}, ${plural(result.rows, "row")}; nothing is asked`));
  const about = result.counted < result.asked ? ` (from the first ${result.counted} prompts)` : "";
  out(table(["", ""], [
    ["to ask", plural(result.asked, Object.keys(result.steps).length > 1 ? "question" : "row")],
    ["depend on answers", `${plural(result.unknown, "row")} of later steps, counted as if all were asked`],
    ["known or doubled", plural(result.reused, "row")],
    ["settled by rules", plural(result.ruled, "row")],
    ["skipped", plural(result.skipped, "row")],
    ["edited by a person", plural(result.edited, "row")],
    ["cannot be asked", plural(result.failed, "row")],
    ["left by a limit", plural(result.blank, "row")],
    ["tokens", `about ${result.estimate.tokensIn.toLocaleString("en")} in, ${result.estimate.tokensOut.toLocaleString("en")} out${about}`],
    ["cost", unpriced === undefined ? `about ${formatMoney(result.estimate.cost, currency)}; at the dearest ${formatMoney(result.dearest, currency)}` : `unknown: the model ${unpriced} has no price in yoroshi.yaml`],
  ].filter(([label, value]) => ["to ask", "tokens", "cost"].includes(label!) || !value!.startsWith("0 "))));
  if (Object.keys(result.steps).length > 1) out(stepTable(result.steps));
}

/** The ids of all models that a plan asks. */
const modelIds = ({ asking }: FillSetup): string => [...new Set(Object.values(asking).map(({ model }) => model.id))].join(", ");

const withoutPrice = ({ asking }: FillSetup): string | undefined => Object.values(asking).find(({ model }) => !model.price)?.model.id;

/** What became, or would become, of the rows in each step. */
function stepTable(steps: StepTallies): string {
  const figures = ["asked", "reused", "ruled", "filled", "edited", "stale", "skipped", "failed", "blank"] as const;
  const titles: Partial<Record<(typeof figures)[number], string>> = { reused: "known", ruled: "by rule", blank: "not reached" };
  const used = figures.filter((figure) => figure === "filled" || Object.values(steps).some((tally) => tally[figure] > 0));
  return table(["step", ...used.map((figure) => titles[figure] ?? figure)], Object.entries(steps).map(([name, tally]) => [name, ...used.map((figure) => tally[figure])]), { right: used.map((_, index) => index + 1) });
}

export async function runFill(project: Project, setup: FillSetup, isStandin: boolean, chosen: FillOptions, options: CommonOptions, tell: (report: object) => void = outJson): Promise<number> {
  const { currency } = project.settings;
  const progress = fillProgress(currency, options.json !== true);
  const stop = new AbortController();
  const drop = new AbortController();
  const onInterrupt = (): void => {
    if (stop.signal.aborted) drop.abort();
    else note("\nFinishing what is in flight; press Ctrl-C again to drop it.");
    stop.abort();
  };
  process.on("SIGINT", onInterrupt);
  process.on("SIGTERM", onInterrupt);
  process.on("SIGHUP", onInterrupt);
  const log = await project.runLog(setup.plan.name);
  let report: FillReport;
  try {
    report = await fill(setup, {
      ...chosen,
      observed: log.observed,
      stop: stop.signal,
      signal: drop.signal,
      on: {
        progress: (state) => progress.update(state),
        breaker: (model, state, failure) => {
          log.note(state === "open" ? "host down" : "host back", { model: model.id, kind: failure?.kind });
          tellBreaker(model, state, failure);
        },
      },
    });
    const { error: failure, errorHost: _, steps: __, ...figures } = report;
    log.note("fill ended", { ...figures, failure: failure?.kind });
  } finally {
    await log.close();
    progress.stop();
    process.off("SIGINT", onInterrupt);
    process.off("SIGTERM", onInterrupt);
    process.off("SIGHUP", onInterrupt);
  }
  if (options.json) tell(reportJson(report, setup, isStandin));
  else printReport(report, setup, isStandin, currency);
  if (report.rows === 0 && report.end === "done") for (const line of whyNoRow(setup, chosen)) note(warn(line));
  if (report.error) throw modelError(report.error, report.errorHost ?? "");
  return exitCode(report);
}

/** Nothing is chosen silently. */
function whyNoRow({ plan: { table: source } }: FillSetup, { where }: FillOptions): string[] {
  const of = (source.items ?? source.groups)?.of;
  if (where !== undefined) return ["--where holds for no row. Cells are text: a number is compared as `double(row.length) > 4.0`."];
  return of === undefined ? [] : [`The plan ${of} gives no rows yet. Fill it first: \`yoroshi fill ${of} --derived\`.`];
}

/** A run that stands still says why. */
const tellBreaker: NonNullable<FillEvents["breaker"]> = ({ host }, state, failure) =>
  note(state === "open" ? warn(`\n${host} keeps failing (${failure?.message ?? "no reply"}); waiting for it, with one request at a time.`) : `\n${host} answers again.`);

/** 1 for what this run could have mended; not for rows that fail however often they are read. */
function exitCode({ end, inVain, refused }: FillReport): number {
  if (end === "interrupted") return 130;
  return inVain > 0 || refused.length > 0 || end === "spendCap" ? 1 : 0;
}

function reportJson(report: FillReport, setup: FillSetup, isStandin: boolean): object {
  const { plan, table: source } = setup;
  const { error, errorHost: _, spent, unsure, steps, capped, ...rest } = report;
  const perStep = Object.fromEntries(Object.entries(steps).map(([name, tally]) => [name, { ...tally, spent: tally.spent / 1e6 }]));
  return { plan: plan.name, table: source.name, target: source.target, model: modelIds(setup), standin: isStandin, ...rest, steps: perStep, spent: spent / 1e6, unsure: unsure / 1e6, ...(error ? { problem: error.kind } : {}), ...(capped ? { capped: { why: capped.why, needs: capped.needs / 1e6, cap: capped.cap / 1e6 } } : {}) };
}

export function printReport(report: FillReport, { plan, table: source }: FillSetup, isStandin: boolean, currency: string): void {
  out(heading(`Plan ${plan.name}`) + quiet(`  ${plural(report.rows, "row")} of ${source.name} in ${duration(report.tookMs)}`));
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
  out(`  ${plural(report.asked, several ? "question" : "row")} asked, ${report.reused} known already${report.ruled > 0 ? `, ${report.ruled} settled by rules` : ""} · ${report.tokensIn.toLocaleString("en")} tokens in, ${report.tokensOut.toLocaleString("en")} out · ${formatMoney(report.spent, currency)} spent`);
  if (several) out(stepTable(report.steps));
  if (report.unsure > 0) out(`  ${warn(`Up to ${formatMoney(report.unsure, currency)} more may have been charged for requests that broke off.`)}`);
  if (report.newEdits > 0) out(`  ${warn(`${plural(report.newEdits, "cell was", "cells were")} edited by a person since the last fill; kept.`)}`);
  if (report.earlier > 0) out(`  ${warn(`${plural(report.earlier, "row")} stood as after an earlier fill (an old result put back?); written as they are now.`)}`);
  for (const { note: told, rows, keys } of report.notes) out(`  ${warn(`${plural(rows, "row")}: ${told}`)}${quiet(`  (${keys.slice(0, 3).join(", ")}${rows > 3 ? " …" : ""})`)}`);
  for (const { rows, keys, columns, problem } of report.refused) out(`  ${bad(`${plural(rows, "row")} did not take ${columns.join(", ")}: ${problem}.`)}${quiet(`  (${keys.join(", ")}${rows > keys.length ? " …" : ""})`)}`);
  out(report.written ? `  written: ${source.target}` : report.end === "done" ? `  ${source.target} stands as it should; it was not written again` : "  nothing was written");
  for (const line of advice(report, plan.name, currency)) note(line);
  const standin = standinNote(isStandin);
  if (standin) note(standin);
}

function advice(report: FillReport, plan: string, currency: string): string[] {
  const lines: string[] = [];
  if (report.end === "interrupted") lines.push(`Interrupted. \`yoroshi fill ${plan}\` goes on; what is answered is not asked again.`);
  if (report.capped) lines.push(capAdvice(report.capped, currency));
  if (report.end === "rowLimit") lines.push(`The limit of rows was reached. \`yoroshi fill ${plan}\` goes on.`);
  if (report.failed + report.skipped > 0) lines.push(quiet(`\`yoroshi status ${plan}\` tells why cells are empty.`));
  return lines;
}
