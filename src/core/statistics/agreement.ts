/**
 * Agreement beyond chance of several ratings of each row (Fleiss 1971). Rows with fewer than two ratings are left out;
 * rows may have different numbers of ratings, each then counting by its own pairs.
 *
 * @param ratings for each row, the values that it was given.
 * @returns `null` where no row has two ratings, or where there is but one value, so that chance alone would agree.
 * @example
 * ```ts
 * import { fleissKappa } from "yoroshi/statistics";
 *
 * fleissKappa([["fire", "fire"], ["spill", "fire"], ["spill", "spill"]]); // => 0.333333
 * ```
 */
export function fleissKappa(ratings: readonly (readonly string[])[]): number | null {
  const rows = ratings.filter((values) => values.length >= 2);
  if (rows.length === 0) return null;
  const shares = new Map<string, number>();
  let total = 0;
  let agreed = 0;
  for (const values of rows) {
    const counts = new Map<string, number>();
    for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
    let pairs = 0;
    for (const [value, count] of counts) {
      pairs += count * (count - 1);
      shares.set(value, (shares.get(value) ?? 0) + count);
    }
    agreed += pairs / (values.length * (values.length - 1));
    total += values.length;
  }
  const observed = agreed / rows.length;
  let expected = 0;
  for (const count of shares.values()) expected += (count / total) ** 2;
  return expected === 1 ? null : (observed - expected) / (1 - expected);
}

/**
 * The value that more of the ratings have than any other; `undefined` at a tie.
 *
 * @example
 * ```ts
 * import { majority } from "yoroshi/statistics";
 *
 * majority(["fire", "spill", "fire"]); // => "fire"
 * majority(["fire", "spill"]) === undefined; // => true
 * ```
 */
export function majority(values: readonly string[]): string | undefined {
  const counts = new Map<string, number>();
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
  const [first, second] = [...counts].sort((a, b) => b[1] - a[1]);
  return first && (!second || first[1] > second[1]) ? first[0] : undefined;
}
