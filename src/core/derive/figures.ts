import { remark, YoroshiError, type FigureSource, type Remark } from "../ground/index.js";
import { plainDay, plainNumber } from "../kinds/index.js";
import { readCondition, type Condition } from "../plan/index.js";
import { shownCell, type TargetColumn, type CellValue } from "../table/index.js";

/** A row as figures see it: numbers and true or false of filled columns typed, all else text. */
export type FigureRow = Readonly<Record<string, unknown>>;

/** Counts up one figure of one group. */
export interface Counter {
  /** @throws BadRow where the row's value cannot count. */
  add(row: FigureRow): void;
  /** Blank where there is nothing to tell. @param all the same counter over the whole table. */
  value(all: Counter): CellValue;
  /** What it leaves out, where that is not said in its value. */
  note?(): Remark | undefined;
  /** Rows that count, for shares. */
  readonly rows?: number;
}

export interface Figure {
  readonly column: TargetColumn;
  /** The columns that it reads. */
  readonly reads: readonly string[];
  start(): Counter;
}

/** Why a row cannot count. */
export class BadRow extends Error {}

const DEFAULT_TOP = 3;
const DEFAULT_LIST = 200;
/** Shares and means; no more than the rows can tell, and sums of hundredths come out as a person writes them. */
const DIGITS = 4;

/** Makes a figure ready to be counted. */
export function readyFigure(name: string, source: FigureSource): Figure {
  const { count, share, shareOfTable, sum, mean, median, min, max, distinct, top, list, by, most, where } = source;
  const condition = count === "all" ? undefined : conditionOf(count ?? share ?? shareOfTable ?? where);
  const only =
    (start: (column: string) => Counter, column: string): (() => Counter) =>
    () =>
      filtered(condition, start(column));
  const figure = (type: TargetColumn["type"], column: string | undefined, start: () => Counter): Figure => ({
    column: { name, type, freeText: type === "text" },
    reads: [...new Set([...(condition?.columns ?? []), ...(column === undefined ? [] : [column]), ...(by === undefined ? [] : [by])])],
    start,
  });
  if (count !== undefined) return figure("integer", undefined, () => counting(condition, ({ rows }) => rows));
  if (share !== undefined)
    return figure("number", undefined, () => counting(condition, ({ rows, all }) => (all === 0 ? "" : rounded(rows / all))));
  if (shareOfTable !== undefined)
    return figure("number", undefined, () => counting(condition, ({ rows }, table) => (table.rows ? rounded(rows / table.rows) : "")));
  if (sum !== undefined)
    return figure(
      "number",
      sum,
      only((column) => numbersOf(name, column, total), sum),
    );
  if (mean !== undefined)
    return figure(
      "number",
      mean,
      only((column) => numbersOf(name, column, (values) => total(values) / values.length), mean),
    );
  if (median !== undefined)
    return figure(
      "number",
      median,
      only((column) => numbersOf(name, column, middle), median),
    );
  if (min !== undefined)
    return figure(
      "text",
      min,
      only((column) => extreme(name, column, -1), min),
    );
  if (max !== undefined)
    return figure(
      "text",
      max,
      only((column) => extreme(name, column, 1), max),
    );
  if (distinct !== undefined)
    return figure(
      "integer",
      distinct,
      only((column) => tallying(column, (counts) => counts.size), distinct),
    );
  if (top !== undefined)
    return figure(
      "text",
      top,
      only((column) => tallying(column, (counts) => mostFrequent(counts, most ?? DEFAULT_TOP)), top),
    );
  return figure(
    "text",
    list,
    only((column) => listing(column, by, most), list!),
  );
}

function conditionOf(source: string | undefined): Condition | undefined {
  if (source === undefined) return undefined;
  const { condition, problem } = readCondition(source);
  if (!condition) throw new YoroshiError("misuse", { problem: `The condition \`${source}\` of a figure cannot be read: ${problem}.` });
  return condition;
}

/** Whether a row counts. One of whose columns is blank is left out, rather than being an error. */
export function holds(condition: Condition | undefined, row: FigureRow): boolean {
  if (!condition) return true;
  const result = condition.test(row);
  if (typeof result === "boolean") return result;
  if (condition.columns.some((column) => (row[column] ?? "") === "")) return false;
  throw new BadRow(result.reason);
}

function counting(condition: Condition | undefined, value: (counter: { rows: number; all: number }, table: Counter) => CellValue): Counter {
  const counts = { rows: 0, all: 0 };
  return {
    add(row) {
      counts.all++;
      if (holds(condition, row)) counts.rows++;
    },
    value: (table) => value(counts, table),
    get rows() {
      return counts.rows;
    },
  };
}

function filtered(condition: Condition | undefined, counter: Counter): Counter {
  if (!condition) return counter;
  return {
    add: (row) => void (holds(condition, row) && counter.add(row)),
    value: (all) => counter.value(all),
    note: () => counter.note?.(),
  };
}

const textOf = (value: unknown): string => shownCell(value).trim();

/** Numbers as they stand, blank ones left out; a figure of no number is blank. */
function numbersOf(name: string, column: string, figure: (values: readonly number[]) => number): Counter {
  const values: number[] = [];
  return {
    add(row) {
      const text = textOf(row[column]);
      if (text === "") return;
      const value = plainNumber(text);
      if (value === undefined) throw new BadRow(`\`${column}\` is no number, which \`${name}\` needs`);
      values.push(value);
    },
    value: () => (values.length === 0 ? "" : rounded(figure(values))),
  };
}

const total = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0);

function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const at = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[at]! : (sorted[at - 1]! + sorted[at]!) / 2;
}

const rounded = (value: number): number => Number(value.toFixed(DIGITS));

/** Numbers by size, or days, which come out as ISO 8601 has them. */
function extreme(name: string, column: string, sign: 1 | -1): Counter {
  let best: number | string | undefined;
  return {
    add(row) {
      const text = textOf(row[column]);
      if (text === "") return;
      const value = plainNumber(text) ?? plainDay(text);
      if (value === undefined) throw new BadRow(`\`${column}\` is neither a number nor a day, which \`${name}\` needs`);
      if (best !== undefined && typeof best !== typeof value)
        throw new BadRow(`\`${column}\` has numbers and days, which \`${name}\` cannot compare`);
      if (best === undefined || (value > best ? 1 : value < best ? -1 : 0) === sign) best = value;
    },
    value: () => best ?? "",
  };
}

function tallying(column: string, value: (counts: ReadonlyMap<string, number>) => CellValue): Counter {
  const counts = new Map<string, number>();
  return {
    add(row) {
      const text = textOf(row[column]);
      if (text !== "") counts.set(text, (counts.get(text) ?? 0) + 1);
    },
    value: () => value(counts),
  };
}

/** `mooring (12), fire (3)`; of two with one count the first by its characters. */
function mostFrequent(counts: ReadonlyMap<string, number>, most: number): string {
  const sorted = [...counts].sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1));
  return sorted
    .slice(0, most)
    .map(([value, rows]) => `${value} (${rows})`)
    .join(", ");
}

/**
 * At most so many lines, in the table's order; with `by` those with the greatest value there, greatest first. Where nobody
 * said how many, a last line tells how many are left out.
 */
function listing(column: string, by: string | undefined, wanted: number | undefined): Counter {
  const most = wanted ?? DEFAULT_LIST;
  let lines: { readonly text: string; readonly rank: number }[] = [];
  let left = 0;
  return {
    add(row) {
      const text = textOf(row[column]).replace(/\s*[\r\n]+\s*/g, " ");
      if (text === "") return;
      const rank = by === undefined ? 0 : Number(textOf(row[by]) || "-Infinity");
      if (by !== undefined && Number.isNaN(rank)) throw new BadRow(`\`${by}\` is no number to order by`);
      if (lines.length < most) lines.push({ text, rank });
      else {
        left++;
        if (by === undefined || rank <= lines.at(-1)!.rank) return;
        lines[lines.length - 1] = { text, rank };
      }
      // Sorting keeps the table's order among equals.
      if (by !== undefined) lines = lines.sort((a, b) => b.rank - a.rank);
    },
    note: () => (left > 0 ? remark("listedLeft", { kept: lines.length, of: lines.length + left }) : undefined),
    value: () => [...lines.map(({ text }) => text), ...(left > 0 && wanted === undefined ? [`… and ${left} more`] : [])].join("\n"),
  };
}
