import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { planPage, type PlanPage } from "../adapters/html-report/index.js";
import {
  nearest,
  planReport,
  recordedTrials,
  sentenceOf,
  targetColumns,
  templatesOf,
  YoroshiError,
  type FillSetup,
  type PlanReport,
} from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob, runJob } from "./job.js";
import { showReview, type ReviewFigures } from "./review-figures.js";
import { cellState, count, evidence, money } from "./schemas.js";
import { toldPassage } from "./told.js";

const share = z.object({ value: z.string(), rows: count, share: z.number(), low: z.number(), high: z.number() });
const group = z.object({ group: z.string(), rows: count, counts: z.record(z.string(), count) });

const report = z.object({
  plan: z.string(),
  table: z.string(),
  madeAt: z.iso.datetime(),
  /** When the last report was made; null for the first. */
  since: z.iso.datetime().nullable(),
  /** The columns by which figures are told over time, and apart. */
  over: z.string().nullable(),
  across: z.string().nullable(),
  rows: count,
  states: z.record(z.string(), z.partialRecord(cellState, count)),
  reasons: z.array(
    z.object({ step: z.string(), state: cellState, reason: z.string(), reasonCode: z.string(), rows: count, keys: z.array(z.string()) }),
  ),
  columns: z.array(
    z.object({
      column: z.string(),
      step: z.string(),
      rows: count,
      blank: count,
      different: count,
      shares: z.array(share),
      numbers: z.object({ least: z.number(), most: z.number(), mean: z.number(), median: z.number() }).optional(),
      /** Of texts, in characters. */
      lengths: z
        .object({ least: z.number(), mean: z.number(), most: z.number(), bins: z.array(z.object({ upTo: z.number(), rows: count })) })
        .optional(),
      over: z.array(group),
      across: z.array(group),
    }),
  ),
  /** Whether shares of rows recorded since the last report differ from those before: Pearson's chi-square, p corrected after Holm. */
  moved: z.array(
    z.object({
      column: z.string(),
      before: z.array(share),
      since: z.array(share),
      rowsBefore: count,
      rowsSince: count,
      statistic: z.number(),
      freedom: z.int(),
      p: z.number(),
      adjusted: z.number(),
    }),
  ),
  /** Rows whose value became another since then. */
  passed: z.array(z.object({ column: z.string(), before: z.string(), after: z.string(), rows: count, keys: z.array(z.string()) })),
  /** Of the parts that demand evidence: how its words were found, and some of them, each of another value as far as there are some. */
  evidence: z.array(
    z.object({
      step: z.string(),
      part: z.string(),
      answers: count,
      atOnce: count,
      mended: count,
      never: count,
      passages: z.array(z.object({ key: z.string(), value: z.string(), evidence })),
    }),
  ),
  trials: z.array(
    z.object({
      template: z.string(),
      version: z.int(),
      model: z.string(),
      samples: count,
      sealed: z.boolean(),
      parts: z.array(z.object({ part: z.string(), accuracy: z.number(), low: z.number(), high: z.number(), right: count })),
    }),
  ),
  checks: z.array(
    z.object({ column: z.string(), population: count, checked: count, wrong: count, low: count.optional(), high: count.optional() }),
  ),
  people: z.array(z.object({ by: z.string(), decided: count, accepted: count, changed: count, rejected: count })),
  spend: z.array(
    z.object({ model: z.string(), step: z.string(), requests: count, tokensIn: count, tokensOut: count, spent: money, unsure: money }),
  ),
  /** The HTML file, where one was written. */
  file: z.string().optional(),
});

export type PlanReportTold = z.output<typeof report>;

const factName = (plan: string): string => `report:${plan}`;
const DAY = /^\d{4}-\d{2}-\d{2}/;
const LOOKED_AT = 200;

/** How things stand in a plan's table: figures, and one HTML file of them. */
export const reportPlan = defineJob({
  name: "reportPlan",
  summary:
    "Reports how things stand in a plan's table: distributions, states, accuracy, decisions, cost, and what has changed since the last report.",
  input: z.strictObject({
    plan: z.string(),
    /** A column of days, by which figures are told over time. Default: the first that looks like days. */
    over: z.string().optional(),
    /** A column by which figures are told apart. */
    across: z.string().optional(),
    /** Write one HTML file: to this path, or `true` for `reports/<plan>.html` in the project. */
    page: z.union([z.string(), z.literal(true)]).optional(),
    /** The next report tells what has changed since this one. Default true where a file is written, else false. */
    keep: z.boolean().optional(),
  }),
  report,
  async run(project, { plan: name, over, across, page, keep = page !== undefined }) {
    const { setup, isStandin } = await project.fillSetup(name, { asks: false });
    const { plan, ledger } = setup;
    const known = [...(await setup.table.columns()), ...targetColumns(setup).map((column) => column.name)];
    for (const [option, column] of [
      ["--over", over],
      ["--across", across],
    ] as const)
      checkColumn(option, column, known, setup.table.name);
    const last = (await ledger.facts.get(factName(plan.name))) as { at: number } | null | undefined;
    const madeAt = project.clock.now();
    const overColumn = over ?? (await dayColumn(setup));
    const found = await planReport(setup, { over: overColumn, across, since: last?.at });
    const review = await runJob(showReview, project, { plan: plan.name });
    const spend = await ledger.charges.of(plan.name);
    const about = { ...(await trialsOf(setup)), ...reviewOf(review) };
    const iso = (at: number): string => new Date(at).toISOString();
    const common = { plan: plan.name, table: setup.table.name };
    let file: string | undefined;
    if (page !== undefined) {
      const told: PlanPage = {
        ...common,
        ...about,
        report: found,
        title: plan.title,
        madeAt: `${iso(madeAt).slice(0, 16).replace("T", " ")} UTC`,
        since: last ? `${iso(last.at).slice(0, 16).replace("T", " ")} UTC` : undefined,
        over: overColumn,
        across,
        currency: project.settings.currency,
        isStandin,
        spend,
      };
      file = await writePage(project, plan.name, page, planPage(told));
    }
    // Kept once it is written: a report that could not be is made again with the same things to tell.
    if (keep) await ledger.facts.set(factName(plan.name), { at: madeAt });
    return {
      ...common,
      ...about,
      madeAt: iso(madeAt),
      since: last ? iso(last.at) : null,
      over: overColumn ?? null,
      across: across ?? null,
      ...toldFigures(found),
      spend: spend.map((line) => ({ ...line, spent: line.spent / 1e6, unsure: line.unsure / 1e6 })),
      ...(file === undefined ? {} : { file }),
    };
  },
});

function checkColumn(option: string, column: string | undefined, known: readonly string[], table: string): void {
  if (column === undefined || known.includes(column)) return;
  const near = nearest(column, known);
  throw new YoroshiError("badOption", {
    option,
    problem: `${table} has no column \`${column}\`. ${near ? `Did you mean \`${near}\`?` : `Columns: ${known.join(", ")}.`}`,
  });
}

/** The first column of the table whose values are days. */
async function dayColumn({ table }: FillSetup): Promise<string | undefined> {
  const rows: Readonly<Record<string, string>>[] = [];
  for await (const chunk of table.read()) {
    rows.push(...chunk.rows.map(({ values }) => values));
    if (rows.length >= LOOKED_AT) break;
  }
  for (const column of await table.columns()) {
    const values = rows.map((row) => row[column] ?? "").filter((value) => value !== "");
    if (values.length > rows.length / 2 && values.filter((value) => DAY.test(value)).length > 0.7 * values.length) return column;
  }
  return undefined;
}

async function trialsOf({ plan, ledger }: FillSetup): Promise<{ trials: PlanReportTold["trials"] }> {
  const trials: PlanReportTold["trials"] = [];
  for (const template of templatesOf(plan)) {
    const [newest] = await recordedTrials(ledger, template, 1);
    if (!newest) continue;
    const { version, model, samples, sealed, parts } = newest.report;
    const graded = parts.filter(({ accuracy }) => accuracy !== null);
    trials.push({
      template,
      version,
      model,
      samples,
      sealed: sealed.graded,
      parts: graded.map(({ part, accuracy, interval, right }) => ({
        part,
        accuracy: accuracy!,
        low: interval.low,
        high: interval.high,
        right,
      })),
    });
  }
  return { trials };
}

function reviewOf({ checks, people }: ReviewFigures): Pick<PlanReportTold, "checks" | "people"> {
  return {
    checks: checks.flatMap(({ columns }) =>
      columns.map(({ column, population, checked, wrong, bounds }) => ({
        column,
        population,
        checked,
        wrong,
        ...(bounds ? { low: bounds.low, high: bounds.high } : {}),
      })),
    ),
    people: people.reviewers.map(({ by, decided, accepted, changed, rejected }) => ({ by, decided, accepted, changed, rejected })),
  };
}

function toldFigures({
  rows,
  columns,
  states,
  reasons,
  moved,
  passed,
  evidence: found,
}: PlanReport): Pick<PlanReportTold, "rows" | "columns" | "states" | "reasons" | "moved" | "passed" | "evidence"> {
  return {
    rows,
    states: { ...states },
    reasons: reasons.map(({ reason, keys, ...one }) => ({ ...one, reason: sentenceOf(reason), reasonCode: reason.code, keys: [...keys] })),
    columns: columns.map(({ column, step, figures, shares, lengths, over, across }) => ({
      column,
      step,
      rows: figures.rows,
      blank: figures.blank,
      different: figures.different,
      shares: shares.map((one) => ({ ...one })),
      ...(figures.numbers ? { numbers: { ...figures.numbers } } : {}),
      ...(lengths ? { lengths: { ...lengths, bins: lengths.bins.map((bin) => ({ ...bin })) } } : {}),
      over: over.map((one) => ({ ...one })),
      across: across.map((one) => ({ ...one })),
    })),
    moved: moved.map((one) => ({ ...one, before: one.before.map((own) => ({ ...own })), since: one.since.map((own) => ({ ...own })) })),
    passed: passed.map((one) => ({ ...one, keys: [...one.keys] })),
    evidence: found.map(({ step, part, answers, atOnce, mended, never, passages }) => ({
      step,
      part,
      answers,
      atOnce,
      mended,
      never,
      passages: passages.map(({ key, value, evidence: words, ...about }) => ({ key, value, evidence: toldPassage(part, words, about) })),
    })),
  };
}

async function writePage(project: Project, plan: string, page: string | true, text: string): Promise<string> {
  const file = page === true ? path.join(project.root, "reports", `${plan}.html`) : path.resolve(page);
  try {
    await mkdir(path.dirname(file), { recursive: true });
    await writeFile(file, text);
  } catch (error) {
    throw new YoroshiError("fileUnwritable", { file, problem: (error as { code?: string }).code ?? "it failed" }, { cause: error });
  }
  return file;
}

/** The moment from which the next report counts. */
export const markReport = defineJob({
  name: "markReport",
  summary: "Makes this moment the one from which a plan's next report tells what has changed.",
  input: z.strictObject({ plan: z.string() }),
  report: z.object({ plan: z.string(), since: z.iso.datetime() }),
  async run(project, { plan: name }) {
    const plan = await project.plan(name);
    const at = project.clock.now();
    await project.ledger().facts.set(factName(plan.name), { at });
    return { plan: plan.name, since: new Date(at).toISOString() };
  },
});
