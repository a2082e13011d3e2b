import { binomialMass, logGamma } from "./special.js";

/** A range of whole numbers, both ends included. */
export interface CountBounds {
  readonly low: number;
  readonly high: number;
}

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
export function hypergeometricBounds(population: number, sample: number, found: number, level = 0.95): CountBounds {
  const rare = 1 - level;
  const [least, most] = [found, population - (sample - found)];
  /** P(at most `found`) falls as more have it, P(at least `found`) grows. */
  const [below, above] = nearBounds(population, sample, found);
  const high = lastWhere(least, most, (having) => hypergeometricTails(population, sample, found, having).atMost > rare, above);
  const isMore = (back: number): boolean => hypergeometricTails(population, sample, found, most - back).atLeast > rare;
  const low = most - lastWhere(0, most - least, isMore, most - below);
  return { low, high };
}

/**
 * Bounds for how many of a finite population have a property that hold, with `level`, at every size of the sample at once: one may look
 * after each row and stop when one likes. Those numbers are left out under which what was found is so much less likely than on average
 * over a prior (the prior-posterior ratio; Waudby-Smith and Ramdas 2020, for the hypergeometric with a beta-binomial prior). Whatever the
 * prior, they hold; one near the truth makes them narrow.
 *
 * @param prior the prior's two shapes: `[1, 1]` for none in particular (the default), `[1, b]` for shares around 1 / b.
 * @example
 * ```ts
 * import { sequentialBounds } from "yoroshi/statistics";
 *
 * // None of 100 checked rows of 5,000 is wrong, looked at as often as one likes.
 * sequentialBounds(5_000, 100, 0, 0.95, [1, 20]).high; // => 231
 * ```
 */
export function sequentialBounds(
  population: number,
  sample: number,
  found: number,
  level = 0.95,
  [a, b]: readonly [number, number] = [1, 1],
): CountBounds {
  if (sample === 0) return { low: 0, high: population };
  const least = logBetaBinomial(sample, found, a, b) + Math.log(1 - level);
  const isLikely = (having: number): boolean => logMass(population, sample, found, having) >= least;
  const [lowest, highest] = [found, population - (sample - found)];
  // Likelihood grows up to here and falls behind it.
  const peak = Math.min(highest, Math.max(lowest, Math.floor((found * (population + 1)) / sample)));
  const high = lastWhere(peak, highest, isLikely);
  const low = peak - lastWhere(0, peak - lowest, (back) => isLikely(peak - back));
  return { low, high };
}

/**
 * How many rows must be looked at until `sequentialBounds` show that at most so many of a population have a property, if no more are found
 * than until now.
 *
 * @param most how many may have it.
 * @param so.sample, so.found what was looked at until now. Default: nothing.
 * @returns the size of the whole sample; `undefined` where even looking at all would not show it.
 * @example
 * ```ts
 * import { rowsToShow } from "yoroshi/statistics";
 *
 * rowsToShow(5_000, 250, 0.95, [1, 20]); // => 91
 * ```
 */
export function rowsToShow(
  population: number,
  most: number,
  level = 0.95,
  prior: readonly [number, number] = [1, 1],
  { sample = 0, found = 0 }: { readonly sample?: number; readonly found?: number } = {},
): number | undefined {
  const shows = (rows: number): boolean => sequentialBounds(population, rows, found, level, prior).high <= most;
  if (found > most) return undefined;
  if (sample > 0 && shows(sample)) return sample;
  // What is not shown by few rows is by many: at the latest when all are seen.
  return lastWhere(Math.max(sample, found), population, (rows) => !shows(rows)) + 1;
}

/** Where bounds are to be looked for, by a normal curve: it saves steps and decides nothing. */
function nearBounds(population: number, sample: number, found: number): readonly [number, number] {
  const share = (found + 1) / (sample + 2);
  const spread = 1.8 * population * Math.sqrt((share * (1 - share) * (1 - sample / (population + 1))) / sample);
  return [Math.round(share * population - spread), Math.round(share * population + spread)];
}

/**
 * The last whole number from `from` to `to` for which a condition holds that first holds and then does not.
 *
 * @param near where it is likely to be: it is looked for around there first, in steps that double.
 */
function lastWhere(from: number, to: number, holds: (value: number) => boolean, near?: number): number {
  let [low, high] = [from, to];
  if (near !== undefined && near > from && near < to) {
    if (holds(near)) {
      low = near;
      for (let step = 1; low + step < to; step *= 2) {
        if (!holds(low + step)) {
          high = low + step - 1;
          break;
        }
        low += step;
      }
    } else {
      high = near - 1;
      for (let step = 1; high - step > from; step *= 2) {
        if (holds(high - step)) {
          low = high - step;
          break;
        }
        high -= step + 1;
      }
    }
  }
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (holds(middle)) low = middle;
    else high = middle - 1;
  }
  return low;
}

/**
 * How likely it is to find so many or fewer, and so many or more, when `having` of the population have it.
 *
 * @example
 * ```ts
 * import { hypergeometricTails } from "yoroshi/statistics";
 *
 * hypergeometricTails(50, 10, 1, 5).atMost; // => 0.7419
 * ```
 */
export function hypergeometricTails(
  population: number,
  sample: number,
  found: number,
  having: number,
): { readonly atMost: number; readonly atLeast: number } {
  const [least, most] = [Math.max(0, sample + having - population), Math.min(sample, having)];
  if (found < least) return { atMost: 0, atLeast: 1 };
  if (found > most) return { atMost: 1, atLeast: 0 };
  const here = mass(population, sample, found, having);
  /** Terms from `found` downwards, or upwards, without its own: they fall, since the tail away from the middle is summed. */
  const tail = (step: -1 | 1): number => {
    let [term, sum] = [here, 0];
    for (let k = found; step === 1 ? k < most : k > least; k += step) {
      term *= step === 1 ? ratio(k) : 1 / ratio(k - 1);
      sum += term;
      if (term < sum * ENOUGH) break;
    }
    return sum;
  };
  /** P(k + 1) / P(k). */
  const ratio = (k: number): number => ((having - k) * (sample - k)) / ((k + 1) * (population - having - sample + k + 1));
  const isLow = found * (population + 2) <= (sample + 1) * (having + 1);
  const far = tail(isLow ? -1 : 1);
  return isLow
    ? { atMost: Math.min(1, here + far), atLeast: Math.min(1, Math.max(0, 1 - far)) }
    : { atMost: Math.min(1, Math.max(0, 1 - far)), atLeast: Math.min(1, here + far) };
}

const ENOUGH = 1e-17;

/** P(X = found), as a quotient of three binomial masses, which keeps its precision at any size (Loader 2000). */
const mass = (population: number, sample: number, found: number, having: number): number =>
  Math.exp(logMass(population, sample, found, having));

function logMass(population: number, sample: number, found: number, having: number): number {
  if (found < Math.max(0, sample + having - population) || found > Math.min(sample, having)) return -Infinity;
  const share = sample / population;
  return (
    binomialMass(found, having, share) + binomialMass(sample - found, population - having, share) - binomialMass(sample, population, share)
  );
}

/** So many quotients are multiplied one by one; beyond, the gamma functions of large numbers are precise enough. */
const MOST_QUOTIENTS = 3_000;

/** ln P(found) of a beta-binomial distribution. */
function logBetaBinomial(sample: number, found: number, a: number, b: number): number {
  if (sample > MOST_QUOTIENTS) {
    const choose = logGamma(sample + 1) - logGamma(found + 1) - logGamma(sample - found + 1);
    return choose + logBeta(found + a, sample - found + b) - logBeta(a, b);
  }
  // A product of `sample` quotients, so that no large logarithms cancel.
  let sum = 0;
  for (let k = 0; k < found; k++) sum += Math.log(((sample - k) * (a + k)) / ((k + 1) * (a + b + k)));
  for (let k = 0; k < sample - found; k++) sum += Math.log((b + k) / (a + b + found + k));
  return sum;
}

const logBeta = (a: number, b: number): number => logGamma(a) + logGamma(b) - logGamma(a + b);
