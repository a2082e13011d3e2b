import { upperGamma } from "./special.js";

/** What came of Pearson's test. */
export interface ChiSquare {
  readonly statistic: number;
  /** Degrees of freedom. */
  readonly freedom: number;
  readonly p: number;
}

/**
 * Pearson's chi-square test (1900) of whether the rows of a table of counts have the same shares, without continuity correction. Rows
 * and columns without any count are left out; with fewer than two of either there is nothing to compare, and p is 1.
 *
 * @example
 * ```ts
 * import { chiSquare } from "yoroshi/statistics";
 *
 * chiSquare([[10, 20], [30, 40]]).statistic; // => 0.793651
 * ```
 */
export function chiSquare(table: readonly (readonly number[])[]): ChiSquare {
  const width = Math.max(0, ...table.map((row) => row.length));
  const rows = table.map((row) => row.reduce((sum, count) => sum + count, 0));
  const columns = Array.from({ length: width }, (_, column) => table.reduce((sum, row) => sum + (row[column] ?? 0), 0));
  const total = rows.reduce((sum, count) => sum + count, 0);
  const freedom = Math.max(0, rows.filter((count) => count > 0).length - 1) * Math.max(0, columns.filter((count) => count > 0).length - 1);
  if (freedom === 0) return { statistic: 0, freedom, p: 1 };
  let statistic = 0;
  table.forEach((row, at) =>
    columns.forEach((count, column) => {
      const expected = (rows[at]! * count) / total;
      if (expected > 0) statistic += ((row[column] ?? 0) - expected) ** 2 / expected;
    }),
  );
  return { statistic, freedom, p: upperGamma(freedom / 2, statistic / 2) };
}
