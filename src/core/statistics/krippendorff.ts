/** How values differ: not at all or wholly; by their ranks; by their distance. */
export type Scale = "nominal" | "ordinal" | "interval";

/**
 * Krippendorff's alpha (2011): agreement beyond chance of any number of raters, any of whom may have left any row out. 1 is full
 * agreement, 0 what chance gives.
 *
 * @param ratings for each row, the values that it was given; texts for `nominal`, numbers otherwise.
 * @returns `null` where no row has two ratings, or all ratings are the same.
 * @example
 * ```ts
 * import { krippendorffAlpha } from "yoroshi/statistics";
 *
 * krippendorffAlpha([[1, 1], [2, 3], [3, 3]], "interval"); // => 0.827586
 * ```
 */
export function krippendorffAlpha(ratings: readonly (readonly (string | number)[])[], scale: Scale): number | null {
  const rows = ratings.filter((values) => values.length >= 2);
  const values = [...new Set(rows.flat())].sort((a, b) =>
    typeof a === "number" && typeof b === "number" ? a - b : String(a) < String(b) ? -1 : 1,
  );
  const place = new Map(values.map((value, index) => [value, index]));
  // Coincidences: each pair of a row's ratings counts by the row's number of raters.
  const pairs = values.map(() => new Float64Array(values.length));
  for (const row of rows) {
    row.forEach((one, i) =>
      row.forEach((other, j) => {
        if (i !== j) pairs[place.get(one)!]![place.get(other)!]! += 1 / (row.length - 1);
      }),
    );
  }
  const counts = pairs.map((row) => row.reduce((sum, count) => sum + count, 0));
  const total = counts.reduce((sum, count) => sum + count, 0);
  const apart = distances(values, counts, scale);
  let observed = 0;
  let expected = 0;
  for (let a = 0; a < values.length; a++) {
    for (let b = 0; b < values.length; b++) {
      observed += pairs[a]![b]! * apart(a, b);
      expected += (counts[a]! * counts[b]! * apart(a, b)) / (total - 1);
    }
  }
  return expected === 0 ? null : 1 - observed / expected;
}

/** The squared distance of two values by their places. */
function distances(values: readonly (string | number)[], counts: readonly number[], scale: Scale): (a: number, b: number) => number {
  if (scale === "nominal") return (a, b) => (a === b ? 0 : 1);
  if (scale === "interval") return (a, b) => (Number(values[a]) - Number(values[b])) ** 2;
  // As many ratings as lie between two values, half of their own counted.
  const below = counts.map((_, index) => counts.slice(0, index).reduce((sum, count) => sum + count, 0));
  const middle = counts.map((count, index) => below[index]! + count / 2);
  return (a, b) => (middle[a]! - middle[b]!) ** 2;
}
