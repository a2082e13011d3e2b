import { wilson, Z95, type Interval } from "../statistics/index.js";
import { columnFigures } from "./column-figures.js";
import { isNumber } from "./query.js";

/** One group of rows, and how a column's values are distributed in it. */
export interface CrossGroup {
  /** The value by which the rows are grouped; of days the month or year; of bounds the lower one. */
  readonly by: string;
  readonly to?: string | undefined;
  /** Rows that have a value. */
  readonly rows: number;
  /** Value -> its share of the group, with its 95 % Wilson interval; of the values that `CrossFigures` names. */
  readonly shares: Readonly<Record<string, { readonly rows: number; readonly share: number; readonly interval: Interval }>>;
  /** Of numbers: the mean, with its 95 % interval by the normal approximation; none of fewer than two rows. */
  readonly mean?: { readonly value: number; readonly interval: Interval | null } | undefined;
}

/** A column by another one, or over time. */
export interface CrossFigures {
  readonly of: "numbers" | "values";
  /** The values whose shares are told, the most common first. */
  readonly values: readonly string[];
  readonly groups: readonly CrossGroup[];
  /** Rows in groups that are not told. */
  readonly others: number;
}

const MOST_GROUPS = 24;
const MOST_VALUES = 12;

/**
 * How the values of a column are distributed in groups of rows by another column.
 *
 * @param values of the column; those that are empty are left out.
 * @param by the other column's, in the same order: days are grouped by month or year, numbers in pieces, all else by value.
 */
export function crossFigures(values: readonly string[], by: readonly string[]): CrossFigures {
  const own = columnFigures(values);
  const pieces = columnFigures(by);
  const shown = pieces.bins.slice(0, MOST_GROUPS);
  const groupOf = grouping(pieces.of, shown);
  const groups = shown.map((): string[] => []);
  let others = 0;
  for (const [index, value] of values.entries()) {
    if (value === "") continue;
    const group = groupOf(by[index]!);
    if (group === undefined) others++;
    else groups[group]!.push(value);
  }
  const isNumeric = own.of === "numbers";
  const known = own.bins.flatMap(({ value, to }) => (to === undefined ? [value] : [])).slice(0, MOST_VALUES);
  return {
    of: isNumeric ? "numbers" : "values",
    values: known,
    groups: shown.map(({ value, to }, index) => ({
      by: value,
      ...(to === undefined ? {} : { to }),
      rows: groups[index]!.length,
      shares: sharesOf(groups[index]!, known),
      ...(isNumeric && groups[index]!.length > 0 ? { mean: meanOf(groups[index]!) } : {}),
    })),
    others,
  };
}

function grouping(
  of: "numbers" | "days" | "values",
  bins: readonly { readonly value: string; readonly to?: string | undefined }[],
): (value: string) => number | undefined {
  if (of === "numbers" && bins.some(({ to }) => to !== undefined))
    return (value) => {
      if (!isNumber(value)) return undefined;
      const found = bins.findLastIndex((bin) => Number(value) >= Number(bin.value));
      return found < 0 ? undefined : found;
    };
  const places = new Map(bins.map(({ value }, index) => [value, index]));
  const length = of === "days" ? (bins[0]?.value.length ?? 0) : undefined;
  if (of === "numbers") return (value) => (isNumber(value) ? places.get(String(Number(value))) : undefined);
  return (value) => places.get(length === undefined ? value : value.slice(0, length));
}

function sharesOf(values: readonly string[], known: readonly string[]): CrossGroup["shares"] {
  const counts = new Map<string, number>();
  for (const value of values) {
    const name = isNumber(value) ? String(Number(value)) : value;
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return Object.fromEntries(
    known.map((value) => {
      const rows = counts.get(isNumber(value) ? String(Number(value)) : value) ?? 0;
      return [value, { rows, share: values.length > 0 ? rows / values.length : 0, interval: wilson(rows, values.length) }];
    }),
  );
}

function meanOf(values: readonly string[]): { value: number; interval: Interval | null } {
  const numbers = values.map(Number);
  const mean = numbers.reduce((sum, one) => sum + one, 0) / numbers.length;
  if (numbers.length < 2) return { value: mean, interval: null };
  const variance = numbers.reduce((sum, one) => sum + (one - mean) ** 2, 0) / (numbers.length - 1);
  const half = Z95 * Math.sqrt(variance / numbers.length);
  return { value: mean, interval: { low: mean - half, high: mean + half } };
}
