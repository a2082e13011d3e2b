import { changesOfRun, survey, type FillSetup, type Survey } from "../cells/index.js";
import { templateSteps, withAfterStep } from "../plan/index.js";
import { chiSquare, holm } from "../statistics/index.js";
import { shownCell } from "../table/index.js";
import type { ColumnFigures } from "../view/index.js";
import { ColumnTally, sharesOf, type GroupTally, type Lengths, type Share } from "./column-tally.js";
import { EvidenceTally, type EvidenceReport } from "./evidence-tally.js";

/** Whether the shares of a column have moved since the last report. */
export interface Moved {
  readonly column: string;
  /** Rows with a value before, and recorded since. */
  readonly before: readonly Share[];
  readonly since: readonly Share[];
  readonly rowsBefore: number;
  readonly rowsSince: number;
  /** Pearson's chi-square test (1900) of equal shares, and p corrected for the number of columns after Holm (1979). */
  readonly statistic: number;
  readonly freedom: number;
  readonly p: number;
  readonly adjusted: number;
}

/** Rows whose value became another. */
export interface Passed {
  readonly column: string;
  readonly before: string;
  readonly after: string;
  readonly rows: number;
  /** The first few of them. */
  readonly keys: readonly string[];
}

export interface ColumnReport {
  readonly column: string;
  readonly step: string;
  readonly figures: ColumnFigures;
  readonly shares: readonly Share[];
  readonly lengths?: Lengths | undefined;
  /** By time, oldest first; and by another column, most rows first. */
  readonly over: readonly GroupTally[];
  readonly across: readonly GroupTally[];
}

/** How things stand in a plan's table, and what has changed since the last report. */
export interface PlanReport {
  readonly rows: number;
  readonly columns: readonly ColumnReport[];
  readonly states: Survey["columns"];
  readonly reasons: Survey["reasons"];
  readonly moved: readonly Moved[];
  readonly passed: readonly Passed[];
  /** Of the parts that demand evidence. */
  readonly evidence: readonly EvidenceReport[];
}

export interface PlanReportOptions {
  /** A column of days, by which figures are told over time. */
  readonly over?: string | undefined;
  /** A column by which they are told apart. */
  readonly across?: string | undefined;
  /** When the last report was made, milliseconds since 1970. */
  readonly since?: number | undefined;
}

const MOST_PASSED = 50;
const KEYS_SHOWN = 5;
/** What is longer is a text, of which nobody wants to read what became of what. */
const LONGEST_PASSED = 60;
const DAY = /^(\d{4}-\d{2})(-\d{2})?/;

/** Goes through a plan's table once, and counts. Nothing is asked; memory depends on how many different values there are. */
export async function planReport(setup: FillSetup, { over, across, since }: PlanReportOptions = {}): Promise<PlanReport> {
  const tallies = new Map<string, { readonly step: string; readonly tally: ColumnTally }>();
  const evidence = new EvidenceTally(setup.ledger.answers);
  const surveyed = await survey(setup, undefined, async (steps) => {
    for (const { one, rows } of steps ?? []) {
      await evidence.add(one, rows);
      for (const target of one.targets) {
        if (!tallies.has(target.name)) tallies.set(target.name, { step: one.name, tally: new ColumnTally(target.freeText) });
        const { tally } = tallies.get(target.name)!;
        for (const { passed, record } of rows) {
          const value = record?.edited?.[target.name] ?? record?.values[target.name];
          const cell = (column: string): string => String(passed.given[column] ?? passed.row.values[column] ?? "").trim();
          tally.add(shownCell(value), {
            ...(since === undefined || !record ? {} : { isNew: record.at > since }),
            ...(over === undefined ? {} : { period: DAY.exec(cell(over))?.[1] }),
            ...(across === undefined ? {} : { group: cell(across) || "(blank)" }),
          });
        }
      }
    }
  });
  const columns = [...tallies].map(([column, { step, tally }]): ColumnReport => {
    const lengths = tally.lengths();
    return {
      column,
      step,
      figures: tally.figures(),
      shares: tally.shares(),
      ...(lengths ? { lengths } : {}),
      over: tally.over(),
      across: across === column ? [] : tally.across(),
    };
  });
  return {
    rows: surveyed.rows,
    columns,
    states: surveyed.columns,
    reasons: surveyed.reasons,
    moved: since === undefined ? [] : movedOf(tallies),
    passed: since === undefined ? [] : await passedSince(setup, since),
    evidence: await evidence.report(),
  };
}

function movedOf(tallies: ReadonlyMap<string, { readonly tally: ColumnTally }>): Moved[] {
  const compared = [...tallies].flatMap(([column, { tally }]) => {
    const { before, since } = tally.twoTimes();
    if (tally.isText || before.size === 0 || since.size === 0) return [];
    const values = [...new Set([...before.keys(), ...since.keys()])];
    const test = chiSquare([values.map((value) => before.get(value) ?? 0), values.map((value) => since.get(value) ?? 0)]);
    return [{ column, before, since, test }];
  });
  const adjusted = holm(compared.map(({ test }) => test.p));
  return compared.map(({ column, before, since, test }, index) => {
    const [then, now] = [sharesOf(before), sharesOf(since)];
    const rowsIn = (shares: readonly Share[]): number => shares.reduce((sum, { rows }) => sum + rows, 0);
    return { column, before: then, since: now, rowsBefore: rowsIn(then), rowsSince: rowsIn(now), ...test, adjusted: adjusted[index]! };
  });
}

/** What fills since a moment have made of values that stood; of the fills that the ledger still knows. */
async function passedSince({ plan, ledger }: FillSetup, since: number): Promise<Passed[]> {
  const filled = new Set(templateSteps(withAfterStep(plan)).flatMap(({ step }) => Object.keys(step.fill)));
  const first = new Map<string, { before: string; after: string; column: string; key: string }>();
  const runs = (await ledger.runs.find("fill", plan.name, 100))
    .filter(({ startedAt, cells }) => startedAt > since && cells !== 0)
    .reverse();
  for (const { id } of runs)
    for await (const changes of changesOfRun(ledger, plan.name, id))
      for (const { key, column, before, after } of changes) {
        if (!filled.has(column) || before === undefined || after === undefined) continue;
        const [then, now] = [shownCell(before), shownCell(after)];
        if (then.length > LONGEST_PASSED || now.length > LONGEST_PASSED) continue;
        const cell = JSON.stringify([column, key]);
        first.set(cell, { before: first.get(cell)?.before ?? then, after: now, column, key });
      }
  const passed = new Map<string, { column: string; before: string; after: string; rows: number; keys: string[] }>();
  for (const { column, before, after, key } of first.values()) {
    if (before === after) continue;
    const id = JSON.stringify([column, before, after]);
    const own = passed.get(id) ?? { column, before, after, rows: 0, keys: [] };
    passed.set(id, own);
    own.rows++;
    if (own.keys.length < KEYS_SHOWN) own.keys.push(key);
  }
  return [...passed.values()].sort((a, b) => b.rows - a.rows).slice(0, MOST_PASSED);
}
