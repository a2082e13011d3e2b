import { normalTails } from "./special.js";
import { wilson, Z95, type Interval } from "./wilson.js";

/** Rows by how two contestants did on them. */
export interface PairedCounts {
  readonly both: number;
  /** Right by the first only. */
  readonly won: number;
  /** Right by the second only. */
  readonly lost: number;
  readonly neither: number;
}

/**
 * 95 % interval of the difference of two proportions over the same rows, first minus second: Newcombe 1998
 * (Statistics in Medicine 17:2635), method 10, from the Wilson intervals of both and their correlation with its
 * continuity correction. [-1, 1] for no rows.
 *
 * @example
 * ```ts
 * import { newcombePaired } from "yoroshi/statistics";
 *
 * newcombePaired({ both: 70, won: 15, lost: 5, neither: 10 }).low > 0; // => true
 * ```
 */
export function newcombePaired({ both, won, lost, neither }: PairedCounts, z: number = Z95): Interval {
  const n = both + won + lost + neither;
  if (n === 0) return { low: -1, high: 1 };
  const [p1, p2] = [(both + won) / n, (both + lost) / n];
  const [one, two] = [wilson(both + won, n, z), wilson(both + lost, n, z)];
  const product = (both + won) * (lost + neither) * (both + lost) * (won + neither);
  const raw = both * neither - won * lost;
  const corrected = raw > n / 2 ? raw - n / 2 : raw >= 0 ? 0 : raw;
  const phi = product === 0 ? 0 : corrected / Math.sqrt(product);
  const spread = (a: number, b: number): number => Math.sqrt(Math.max(0, a * a - 2 * phi * a * b + b * b));
  const difference = p1 - p2;
  return {
    low: Math.max(-1, difference - spread(p1 - one.low, two.high - p2)),
    high: Math.min(1, difference + spread(one.high - p1, p2 - two.low)),
  };
}

/**
 * The p-value that belongs to `newcombePaired`: the level from which on its interval leaves 0 out, found by halving. So the
 * interval and the test never say different things; 1 where the two shares are equal.
 *
 * @example
 * ```ts
 * import { newcombeP } from "yoroshi/statistics";
 *
 * newcombeP({ both: 70, won: 15, lost: 5, neither: 10 }) < 0.05; // => true
 * ```
 */
export function newcombeP(counts: PairedCounts): number {
  if (counts.won === counts.lost) return 1;
  const leavesOut = (z: number): boolean => {
    const { low, high } = newcombePaired(counts, z);
    return low > 0 || high < 0;
  };
  let [low, high] = [0, 1];
  while (leavesOut(high) && high < FARTHEST_Z) [low, high] = [high, high * 2];
  for (let step = 0; step < 80; step++) {
    const middle = (low + high) / 2;
    if (leavesOut(middle)) low = middle;
    else high = middle;
  }
  return normalTails(low);
}

const FARTHEST_Z = 64;

/**
 * Adjusts p-values for their number (Holm 1979); the order is kept.
 *
 * @example
 * ```ts
 * import { holm } from "yoroshi/statistics";
 *
 * holm([0.01, 0.04]); // => [0.02, 0.04]
 * ```
 */
export function holm(ps: readonly number[]): number[] {
  const order = ps.map((_, index) => index).sort((a, b) => ps[a]! - ps[b]!);
  const adjusted = Array.from({ length: ps.length }, () => 0);
  let floor = 0;
  order.forEach((index, rank) => {
    floor = Math.max(floor, Math.min(1, (ps.length - rank) * ps[index]!));
    adjusted[index] = floor;
  });
  return adjusted;
}

/**
 * How many rows in all are needed for a Wilson interval of at most this half-width, if the share stays what it is.
 *
 * @example
 * ```ts
 * import { rowsForHalfWidth } from "yoroshi/statistics";
 *
 * rowsForHalfWidth(0.8, 0.05); // => 245
 * ```
 */
export function rowsForHalfWidth(share: number, halfWidth: number, z: number = Z95): number {
  if (!(halfWidth > 0) || halfWidth >= 0.5) return 1;
  const half = (n: number): number => {
    const { low, high } = wilsonShare(share, n, z);
    return (high - low) / 2;
  };
  let high = 1;
  while (half(high) > halfWidth) high *= 2;
  let low = high / 2;
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (half(middle) > halfWidth) low = middle;
    else high = middle;
  }
  return Math.ceil(high);
}

function wilsonShare(p: number, n: number, z: number): Interval {
  const z2 = z * z;
  const half = (z * Math.sqrt((p * (1 - p)) / n + z2 / (4 * n * n))) / (1 + z2 / n);
  const centre = (p + z2 / (2 * n)) / (1 + z2 / n);
  return { low: centre - half, high: centre + half };
}

/** The 80 % quantile of the standard normal distribution. */
const Z80 = 0.8416212335729143;

/**
 * How many rows in all McNemar's test needs to tell two contestants apart at the 5 % level in four cases of five, if they
 * differ as they did so far (Connor 1987). `undefined` where they did not differ at all.
 *
 * @example
 * ```ts
 * import { rowsToTellApart } from "yoroshi/statistics";
 *
 * rowsToTellApart({ both: 70, won: 11, lost: 5, neither: 14 }); // => 347
 * ```
 */
export function rowsToTellApart({ both, won, lost, neither }: PairedCounts): number | undefined {
  const n = both + won + lost + neither;
  if (won === lost || n === 0) return undefined;
  const discordant = (won + lost) / n;
  const difference = (won - lost) / n;
  return Math.ceil(
    (Z95 * Math.sqrt(discordant) + Z80 * Math.sqrt(Math.max(0, discordant - difference * difference))) ** 2 / (difference * difference),
  );
}

/**
 * Fisher's exact test (1935), two-sided, of two shares over different rows: the probability of tables no likelier than
 * this one, with the same margins.
 *
 * @example
 * ```ts
 * import { fisherExact } from "yoroshi/statistics";
 *
 * fisherExact(8, 10, 3, 10); // => 0.0697785
 * ```
 */
export function fisherExact(rightA: number, totalA: number, rightB: number, totalB: number): number {
  const right = rightA + rightB;
  const total = totalA + totalB;
  const logs = logFactorials(total);
  const logOf = (k: number): number =>
    logs[totalA]! -
    logs[k]! -
    logs[totalA - k]! +
    logs[totalB]! -
    logs[right - k]! -
    logs[totalB - right + k]! -
    (logs[total]! - logs[right]! - logs[total - right]!);
  const own = logOf(rightA);
  let p = 0;
  for (let k = Math.max(0, right - totalB); k <= Math.min(right, totalA); k++) {
    const one = logOf(k);
    if (one <= own + 1e-7) p += Math.exp(one);
  }
  return Math.min(1, p);
}

let known = Float64Array.of(0, 0);

/** Logarithms of 0! to n!, summed with compensation (Neumaier 1974). */
function logFactorials(n: number): Float64Array {
  if (known.length > n) return known;
  const grown = new Float64Array(n + 1);
  let sum = 0;
  let lost = 0;
  for (let k = 2; k <= n; k++) {
    const log = Math.log(k);
    const next = sum + log;
    lost += Math.abs(sum) >= Math.abs(log) ? sum - next + log : log - next + sum;
    sum = next;
    grown[k] = sum + lost;
  }
  known = grown;
  return known;
}
