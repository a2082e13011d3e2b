import type { CellState } from "../ledger/index.js";
import { isNumber } from "./query.js";

/** A piece of a distribution: how many rows have a value, or one within bounds. */
export interface FigureBin {
  /** The value; of bounds, the lower one. */
  readonly value: string;
  /** The upper bound, which counts with the last piece alone; none for a single value. */
  readonly to?: string | undefined;
  readonly rows: number;
}

/** What stands in one column. */
export interface ColumnFigures {
  /** Numbers (in pieces of equal width), days (by month or year), or single values, the most common first. */
  readonly of: "numbers" | "days" | "values";
  readonly rows: number;
  readonly blank: number;
  /** How many different values there are, blank left out. */
  readonly different: number;
  readonly bins: readonly FigureBin[];
  /** Rows with values beyond the most common ones. */
  readonly others: number;
  /** Of numbers. */
  readonly numbers?: { readonly least: number; readonly most: number; readonly mean: number; readonly median: number } | undefined;
  /** State -> rows, of a filled column. */
  readonly states?: Readonly<Partial<Record<CellState, number>>> | undefined;
}

const MOST_BINS = 20;
const MOST_VALUES = 50;
/** Up to so many different numbers stand each alone: scores are values, not measures. */
const FEW_NUMBERS = 12;
const DAY = /^\d{4}-\d{2}-\d{2}/;
const MONTHS_SHOWN = 36;

/** How the values of a column are distributed. */
export function columnFigures(values: readonly string[], states?: readonly CellState[]): ColumnFigures {
  const counts = new Map<string, number>();
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
  return countedFigures(counts, values.length, states);
}

/**
 * The same of values that are counted already.
 *
 * @param counts value -> rows; "" for a blank one. They are changed.
 */
export function countedFigures(counts: Map<string, number>, rows: number, states?: readonly CellState[]): ColumnFigures {
  const blank = counts.get("") ?? 0;
  counts.delete("");
  const common = { rows, blank, different: counts.size, ...(states ? { states: statesOf(states) } : {}) };
  const known = [...counts.keys()];
  if (known.length > 0 && known.every(isNumber)) return { ...common, ...numbersOf(counts) };
  if (known.length > FEW_NUMBERS && known.every((value) => DAY.test(value)))
    return { ...common, of: "days", others: 0, bins: daysOf(counts) };
  const most = [...counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1));
  const bins = most.slice(0, MOST_VALUES).map(([value, count]) => ({ value, rows: count }));
  return { ...common, of: "values", bins, others: sum(most.slice(MOST_VALUES).map(([, count]) => count)) };
}

const sum = (all: readonly number[]): number => all.reduce((total, one) => total + one, 0);

function statesOf(states: readonly CellState[]): Partial<Record<CellState, number>> {
  const counts: Partial<Record<CellState, number>> = {};
  for (const state of states) counts[state] = (counts[state] ?? 0) + 1;
  return counts;
}

function numbersOf(counts: ReadonlyMap<string, number>): Pick<ColumnFigures, "of" | "bins" | "others" | "numbers"> {
  const sorted = [...counts].map(([value, rows]) => ({ number: Number(value), rows })).sort((a, b) => a.number - b.number);
  const rows = sum(sorted.map((one) => one.rows));
  const least = sorted[0]!.number;
  const most = sorted.at(-1)!.number;
  const numbers = { least, most, mean: sum(sorted.map((one) => (one.number * one.rows) / rows)), median: medianOf(sorted, rows) };
  if (sorted.length <= FEW_NUMBERS)
    return { of: "numbers", others: 0, numbers, bins: sorted.map((one) => ({ value: String(one.number), rows: one.rows })) };
  const width = niceWidth((most - least) / MOST_BINS);
  const first = Math.floor(least / width);
  const bins = Array.from({ length: Math.floor(most / width) - first + 1 }, () => 0);
  for (const one of sorted) bins[Math.min(Math.floor(one.number / width) - first, bins.length - 1)]! += one.rows;
  const bound = (index: number): string => String(Number(((first + index) * width).toPrecision(12)));
  return { of: "numbers", others: 0, numbers, bins: bins.map((own, index) => ({ value: bound(index), to: bound(index + 1), rows: own })) };
}

function medianOf(sorted: readonly { readonly number: number; readonly rows: number }[], rows: number): number {
  const at = (place: number): number => {
    let passed = 0;
    return sorted.find((one) => (passed += one.rows) > place)!.number;
  };
  return (at(Math.floor((rows - 1) / 2)) + at(Math.floor(rows / 2))) / 2;
}

/** The next larger of 1, 2 and 5 times a power of ten. */
function niceWidth(least: number): number {
  const power = 10 ** Math.floor(Math.log10(least));
  return ([1, 2, 5, 10].find((step) => step * power >= least) ?? 10) * power;
}

/** By month; by year where that would be too many. */
function daysOf(counts: ReadonlyMap<string, number>): FigureBin[] {
  const by = (length: number): FigureBin[] => {
    const bins = new Map<string, number>();
    for (const [value, rows] of counts) bins.set(value.slice(0, length), (bins.get(value.slice(0, length)) ?? 0) + rows);
    return [...bins].sort(([a], [b]) => (a < b ? -1 : 1)).map(([value, rows]) => ({ value, rows }));
  };
  const months = by(7);
  return months.length <= MONTHS_SHOWN ? months : by(4);
}
