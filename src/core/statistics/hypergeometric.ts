import { logGamma } from "./special.js";

/**
 * Bounds for how many of a finite population have a property, from a sample drawn without putting back (exact, by the
 * hypergeometric distribution; Katz 1953). Each bound alone holds with `level`: the fewest and the most for which finding so
 * many, or so few, would not be rarer than 1 - level.
 *
 * @param population how many there are in all.
 * @param sample how many were looked at.
 * @param found how many of those have it.
 * @param level how sure each bound is. Default 0.95.
 * @example
 * ```ts
 * import { hypergeometricBounds } from "yoroshi/statistics";
 *
 * // 3 of 60 sampled rows of 2,000 are wrong: how many of all?
 * hypergeometricBounds(2_000, 60, 3).high; // => 246
 * ```
 */
export function hypergeometricBounds(
  population: number,
  sample: number,
  found: number,
  level = 0.95,
): { readonly low: number; readonly high: number } {
  const rare = 1 - level;
  const [least, most] = [found, population - (sample - found)];
  /** P(at most `found`) falls as more have it, P(at least `found`) grows. */
  const high = lastWhere(least, most, (having) => cumulative(population, sample, found, having) > rare);
  const low = most - lastWhere(0, most - least, (back) => 1 - cumulative(population, sample, found - 1, most - back) > rare);
  return { low, high };
}

/** The last whole number from `from` to `to` for which a condition holds that first holds and then does not. */
function lastWhere(from: number, to: number, holds: (value: number) => boolean): number {
  let [low, high] = [from, to];
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (holds(middle)) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** P(X <= found) when `having` of the population have it. */
function cumulative(population: number, sample: number, found: number, having: number): number {
  const least = Math.max(0, sample + having - population);
  if (found < least) return 0;
  if (found >= Math.min(sample, having)) return 1;
  let log = logChoose(having, least) + logChoose(population - having, sample - least) - logChoose(population, sample);
  let sum = Math.exp(log);
  for (let k = least; k < found; k++) {
    log += Math.log(((having - k) * (sample - k)) / ((k + 1) * (population - having - sample + k + 1)));
    sum += Math.exp(log);
  }
  return Math.min(1, sum);
}

const logChoose = (n: number, k: number): number => logGamma(n + 1) - logGamma(k + 1) - logGamma(n - k + 1);
