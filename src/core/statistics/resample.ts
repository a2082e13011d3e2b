import { seededChance } from "../ground/index.js";
import type { Interval } from "./wilson.js";

/** How many resamples a bootstrap interval rests on, where nothing else is said. */
export const DEFAULT_RESAMPLES = 2_000;

/**
 * Percentile bootstrap (Efron 1979): the 2.5 % and 97.5 % quantiles (linear between order statistics) of a figure over
 * samples of the rows drawn with replacement. The same seed gives the same interval. `null` where the figure cannot be
 * computed for any resample.
 *
 * @param figure computed from the indices of the drawn rows; `null` where it has no value, which leaves the resample out.
 * @example
 * ```ts
 * import { bootstrap } from "yoroshi/statistics";
 *
 * const values = [1, 2, 3, 4];
 * const mean = (rows: Int32Array): number => rows.reduce((sum, row) => sum + values[row]!, 0) / rows.length;
 * bootstrap(values.length, mean)!.low >= 1; // => true
 * ```
 */
export function bootstrap(rows: number, figure: (indices: Int32Array) => number | null, options: BootstrapOptions = {}): Interval | null {
  return bootstrapAll(rows, (indices) => ({ figure: figure(indices) }), options)["figure"] ?? null;
}

export interface BootstrapOptions {
  /** Default 1. */
  readonly seed?: number | undefined;
  /** Default 2,000. */
  readonly resamples?: number | undefined;
}

/**
 * The same for several figures over the same resamples; those without an interval are left out.
 *
 * @example
 * ```ts
 * import { bootstrapAll } from "yoroshi/statistics";
 *
 * const right = [true, true, false];
 * const share = (rows: Int32Array) => ({ accuracy: rows.filter((row) => right[row]).length / rows.length });
 * Object.keys(bootstrapAll(right.length, share)); // => ["accuracy"]
 * ```
 */
export function bootstrapAll(
  rows: number,
  figures: (indices: Int32Array) => Readonly<Record<string, number | null>>,
  { seed = 1, resamples = DEFAULT_RESAMPLES }: BootstrapOptions = {},
): Record<string, Interval> {
  const chance = seededChance(seed);
  const indices = new Int32Array(rows);
  const found: Record<string, number[]> = {};
  for (let i = 0; rows > 0 && i < resamples; i++) {
    for (let row = 0; row < rows; row++) indices[row] = chance.whole(rows);
    for (const [name, value] of Object.entries(figures(indices)))
      if (value !== null && Number.isFinite(value)) (found[name] ??= []).push(value);
  }
  return Object.fromEntries(
    Object.entries(found).map(([name, values]) => {
      const sorted = Float64Array.from(values).sort();
      return [name, { low: quantile(sorted, 0.025), high: quantile(sorted, 0.975) }];
    }),
  );
}

/**
 * The quantile of sorted values, linear between order statistics (Hyndman and Fan 1996, definition 7).
 *
 * @example
 * ```ts
 * import { quantile } from "yoroshi/statistics";
 *
 * quantile([1, 2, 3, 4], 0.5); // => 2.5
 * ```
 */
export function quantile(sorted: Float64Array | readonly number[], share: number): number {
  const at = share * (sorted.length - 1);
  const below = Math.floor(at);
  const low = sorted[below] ?? Number.NaN;
  const high = sorted[Math.min(below + 1, sorted.length - 1)] ?? low;
  return low + (at - below) * (high - low);
}

/**
 * Paired permutation test, two-sided: how often the mean of the differences is at least as far from 0 when each
 * difference's sign is drawn by chance. All 2^n sign patterns when there are at most `draws` of them, else that many
 * drawn ones, the observed pattern counted with them (Phipson and Smyth 2010), so that p is never 0.
 *
 * @example
 * ```ts
 * import { pairedPermutation } from "yoroshi/statistics";
 *
 * pairedPermutation([1, 1, 1, 1, 1, 1, 1, 1]) < 0.05; // => true
 * ```
 */
export function pairedPermutation(
  differences: readonly number[],
  { seed = 1, draws = 10_000 }: { readonly seed?: number; readonly draws?: number } = {},
): number {
  const moving = differences.filter((difference) => difference !== 0);
  const n = moving.length;
  if (n === 0) return 1;
  const observed = Math.abs(moving.reduce((sum, difference) => sum + difference, 0));
  const isAsFar = (sum: number): boolean => Math.abs(sum) >= observed - 1e-9 * Math.max(1, observed);
  if (n < 31 && 2 ** n <= draws) {
    let far = 0;
    for (let signs = 0; signs < 2 ** n; signs++) {
      let sum = 0;
      for (let i = 0; i < n; i++) sum += (signs >> i) & 1 ? moving[i]! : -moving[i]!;
      if (isAsFar(sum)) far++;
    }
    return far / 2 ** n;
  }
  const chance = seededChance(seed);
  let far = 1;
  for (let draw = 0; draw < draws; draw++) {
    let sum = 0;
    for (let i = 0; i < n; i++) sum += chance.whole(2) === 1 ? moving[i]! : -moving[i]!;
    if (isAsFar(sum)) far++;
  }
  return far / (draws + 1);
}
