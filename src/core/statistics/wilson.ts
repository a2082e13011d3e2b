/** The 97.5 % quantile of the standard normal distribution: two-sided 95 % intervals. */
export const Z95 = 1.959963984540054;

/** An interval, both ends included. */
export interface Interval {
  readonly low: number;
  readonly high: number;
}

/**
 * Wilson score interval for a proportion (Wilson 1927), without continuity correction. Both ends lie in [0, 1];
 * for no trials at all the interval is [0, 1].
 *
 * @example
 * ```ts
 * import { wilson } from "yoroshi/statistics";
 *
 * wilson(8, 10).low; // => 0.490162
 * ```
 */
export function wilson(right: number, total: number, z: number = Z95): Interval {
  if (total === 0) return { low: 0, high: 1 };
  const p = right / total;
  const z2 = z * z;
  const centre = p + z2 / (2 * total);
  const half = z * Math.sqrt((p * (1 - p)) / total + z2 / (4 * total * total));
  const scale = 1 + z2 / total;
  // At the ends rounding would leave 1e-17 instead of the exact bound.
  return { low: right === 0 ? 0 : Math.max(0, (centre - half) / scale), high: right === total ? 1 : Math.min(1, (centre + half) / scale) };
}
