/** Figures for answers that are numbers. Differences are answer minus right value. */
export interface NumberReport {
  readonly meanAbsoluteError: number;
  readonly rootMeanSquareError: number;
  /** Mean difference: above 0, the answers are too high. */
  readonly bias: number;
  /** Correlation (Pearson 1895); `null` where one side is constant. */
  readonly pearson: number | null;
  /** Rank correlation (Spearman 1904), ties given their mean rank; `null` where one side is constant. */
  readonly spearman: number | null;
  /** Kendall's tau-b (1945), which allows for ties; `null` where one side is constant. */
  readonly kendall: number | null;
}

type Pairs = readonly (readonly [truth: number, answer: number])[];

/**
 * Figures of numbers against right ones.
 *
 * @example
 * ```ts
 * import { numberReport } from "yoroshi/statistics";
 *
 * numberReport([[1, 2], [4, 3]]).meanAbsoluteError; // => 1
 * ```
 */
export function numberReport(pairs: Pairs): NumberReport {
  const n = Math.max(1, pairs.length);
  const sum = (of: (difference: number) => number): number => pairs.reduce((total, [truth, answer]) => total + of(answer - truth), 0);
  return {
    meanAbsoluteError: sum(Math.abs) / n,
    rootMeanSquareError: Math.sqrt(sum((difference) => difference * difference) / n),
    bias: sum((difference) => difference) / n,
    pearson: pearson(pairs),
    spearman: spearman(pairs),
    kendall: kendall(pairs),
  };
}

/**
 * Pearson's correlation (1895), from -1 to 1; `null` where one side is constant.
 *
 * @example
 * ```ts
 * import { pearson } from "yoroshi/statistics";
 *
 * pearson([[1, 2], [2, 4], [3, 6]]); // => 1
 * ```
 */
export function pearson(pairs: Pairs): number | null {
  return correlation(
    pairs.map(([x]) => x),
    pairs.map(([, y]) => y),
  );
}

/**
 * Pearson's correlation of the ranks.
 *
 * @example
 * ```ts
 * import { spearman } from "yoroshi/statistics";
 *
 * spearman([[1, 1], [2, 3], [3, 2]]); // => 0.5
 * ```
 */
export function spearman(pairs: Pairs): number | null {
  return correlation(ranks(pairs.map(([truth]) => truth)), ranks(pairs.map(([, answer]) => answer)));
}

function correlation(x: ArrayLike<number>, y: ArrayLike<number>): number | null {
  const mean = (values: ArrayLike<number>): number =>
    Array.from(values).reduce((sum, value) => sum + value, 0) / Math.max(1, values.length);
  const [middleX, middleY] = [mean(x), mean(y)];
  let xy = 0;
  let xx = 0;
  let yy = 0;
  for (let i = 0; i < x.length; i++) {
    const [dx, dy] = [x[i]! - middleX, y[i]! - middleY];
    xy += dx * dy;
    xx += dx * dx;
    yy += dy * dy;
  }
  return xx === 0 || yy === 0 ? null : xy / Math.sqrt(xx * yy);
}

/** Ranks from 1; equal values share the mean of theirs. */
function ranks(values: readonly number[]): Float64Array {
  const order = values.map((_, index) => index).sort((a, b) => values[a]! - values[b]!);
  const result = new Float64Array(values.length);
  for (let from = 0; from < order.length;) {
    let to = from;
    while (to + 1 < order.length && values[order[to + 1]!] === values[order[from]!]) to++;
    for (let i = from; i <= to; i++) result[order[i]!] = (from + to) / 2 + 1;
    from = to + 1;
  }
  return result;
}

/**
 * Kendall's tau-b in n log n: discordant pairs are the exchanges of a merge sort (Knight 1966).
 *
 * @example
 * ```ts
 * import { kendall } from "yoroshi/statistics";
 *
 * kendall([[1, 1], [2, 3], [3, 2]]); // => 0.333333
 * ```
 */
export function kendall(pairs: Pairs): number | null {
  const sorted = pairs.toSorted((a, b) => a[0] - b[0] || a[1] - b[1]);
  const n = sorted.length;
  const all = (n * (n - 1)) / 2;
  const tiedX = tiedPairs(sorted, (a, b) => a[0] === b[0]);
  const tiedBoth = tiedPairs(sorted, (a, b) => a[0] === b[0] && a[1] === b[1]);
  const y = Float64Array.from(sorted, (pair) => pair[1]);
  const swaps = exchanges(y);
  let tiedY = 0;
  for (let from = 0; from < n;) {
    let to = from;
    while (to + 1 < n && y[to + 1] === y[from]) to++;
    tiedY += ((to - from + 1) * (to - from)) / 2;
    from = to + 1;
  }
  const below = Math.sqrt(all - tiedX) * Math.sqrt(all - tiedY);
  return below === 0 ? null : (all - tiedX - tiedY + tiedBoth - 2 * swaps) / below;
}

function tiedPairs(sorted: Pairs, same: (a: Pairs[number], b: Pairs[number]) => boolean): number {
  let tied = 0;
  for (let from = 0; from < sorted.length;) {
    let to = from;
    while (to + 1 < sorted.length && same(sorted[to + 1]!, sorted[from]!)) to++;
    tied += ((to - from + 1) * (to - from)) / 2;
    from = to + 1;
  }
  return tied;
}

/** Sorts in place and counts the exchanges of neighbours that it takes. */
function exchanges(values: Float64Array): number {
  let count = 0;
  const spare = new Float64Array(values.length);
  for (let width = 1; width < values.length; width *= 2) {
    for (let low = 0; low < values.length; low += 2 * width) {
      const middle = Math.min(low + width, values.length);
      const high = Math.min(low + 2 * width, values.length);
      let [left, right] = [low, middle];
      for (let at = low; at < high; at++) {
        if (left < middle && (right >= high || values[left]! <= values[right]!)) spare[at] = values[left++]!;
        else {
          count += middle - left;
          spare[at] = values[right++]!;
        }
      }
    }
    values.set(spare);
  }
  return count;
}
