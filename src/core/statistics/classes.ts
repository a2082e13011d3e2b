/**
 * How often each right value was answered by each value. Conventions, the same everywhere: a row without an answer
 * counts for its right value (support, recall, accuracy) and for no predicted value; a ratio with nothing below the
 * line is 0, an agreement or correlation that is not defined (one side constant) `null`; classes are those that occur as
 * a right value or as an answer.
 */
export interface ConfusionCounts {
  readonly labels: readonly string[];
  /** counts[right][answered]; the last column is "no answer". */
  readonly counts: readonly (readonly number[])[];
}

/** Figures of one class. */
export interface ClassFigures {
  readonly label: string;
  readonly precision: number;
  readonly recall: number;
  readonly f1: number;
  /** Rows with this right value. */
  readonly support: number;
  /** Rows answered with it. */
  readonly answered: number;
}

/** Precision, recall and F1 over classes. */
export interface Averages {
  readonly precision: number;
  readonly recall: number;
  readonly f1: number;
}

/** Figures over all classes. */
export interface ClassReport {
  readonly accuracy: number;
  readonly classes: readonly ClassFigures[];
  /** Mean over the classes that occur as right values or as answers, each counting alike (as scikit-learn does). */
  readonly macro: Averages;
  /** The same over the classes that occur as right values only: an option that nobody labelled takes nothing from it. */
  readonly macroLabelled: Averages;
  /** Over all decisions: precision over the answered rows, recall over all. */
  readonly micro: Averages;
  /** Mean over classes by support. */
  readonly weighted: Averages;
  /** Mean recall of the classes that occur as right values. */
  readonly balancedAccuracy: number;
  /** Agreement beyond chance (Cohen 1960); `null` where chance alone would always agree. */
  readonly kappa: number | null;
  /**
   * Multi-class correlation R_K (Gorodkin 2004), Matthews' coefficient for two classes; 0 where one side is constant, as is usual for it.
   */
  readonly matthews: number;
}

const ratio = (above: number, below: number): number => (below === 0 ? 0 : above / below);

/**
 * Counts pairs of right value and answer (`undefined`: no answer), labels in the order of `order` and then of first sight.
 *
 * @example
 * ```ts
 * import { countConfusion } from "yoroshi/statistics";
 *
 * countConfusion([["fire", "fire"], ["spill", undefined]]).counts; // => [[1, 0, 0], [0, 0, 1]]
 * ```
 */
export function countConfusion(
  pairs: Iterable<readonly [truth: string, answer: string | undefined]>,
  order: readonly string[] = [],
): ConfusionCounts {
  const seen = new Map<string, Map<string | undefined, number>>();
  const used = new Set<string>();
  for (const [truth, answer] of pairs) {
    let row = seen.get(truth);
    if (!row) seen.set(truth, (row = new Map<string | undefined, number>()));
    row.set(answer, (row.get(answer) ?? 0) + 1);
  }
  for (const [truth, row] of seen) {
    used.add(truth);
    for (const answer of row.keys()) if (answer !== undefined) used.add(answer);
  }
  const stated = new Set(order);
  const labels = [...order.filter((label) => used.has(label)), ...[...used].filter((label) => !stated.has(label))];
  return {
    labels,
    counts: labels.map((truth) => [...labels.map((answer) => seen.get(truth)?.get(answer) ?? 0), seen.get(truth)?.get(undefined) ?? 0]),
  };
}

/**
 * Every figure that a confusion table gives.
 *
 * @example
 * ```ts
 * import { classReport, countConfusion } from "yoroshi/statistics";
 *
 * classReport(countConfusion([["fire", "fire"], ["spill", "fire"]])).accuracy; // => 0.5
 * ```
 */
export function classReport({ labels, counts }: ConfusionCounts): ClassReport {
  const size = labels.length;
  const support = counts.map((row) => row.reduce((sum, count) => sum + count, 0));
  const answered = labels.map((_, column) => counts.reduce((sum, row) => sum + row[column]!, 0));
  const total = support.reduce((sum, count) => sum + count, 0);
  const answers = answered.reduce((sum, count) => sum + count, 0);
  const right = counts.reduce((sum, row, index) => sum + row[index]!, 0);
  const classes = labels.map((label, index): ClassFigures => {
    const hits = counts[index]![index]!;
    return {
      label,
      precision: ratio(hits, answered[index]!),
      recall: ratio(hits, support[index]!),
      f1: ratio(2 * hits, answered[index]! + support[index]!),
      support: support[index]!,
      answered: answered[index]!,
    };
  });
  const average = (weightOf: (figures: ClassFigures) => number): Averages => {
    const weight = classes.reduce((sum, figures) => sum + weightOf(figures), 0);
    const mean = (of: (figures: ClassFigures) => number): number =>
      ratio(
        classes.reduce((sum, figures) => sum + of(figures) * weightOf(figures), 0),
        weight,
      );
    return { precision: mean(({ precision }) => precision), recall: mean(({ recall }) => recall), f1: mean(({ f1 }) => f1) };
  };
  const occurring = classes.filter((figures) => figures.support > 0);
  return {
    accuracy: ratio(right, total),
    classes,
    macro: average(() => 1),
    macroLabelled: average(({ support: rows }) => (rows > 0 ? 1 : 0)),
    micro: { precision: ratio(right, answers), recall: ratio(right, total), f1: ratio(2 * right, answers + total) },
    weighted: average((figures) => figures.support),
    balancedAccuracy: ratio(
      occurring.reduce((sum, { recall }) => sum + recall, 0),
      occurring.length,
    ),
    kappa: kappaOf(counts, size, () => 1),
    matthews: matthews(right, total, support, [...answered, total - answers]),
  };
}

/**
 * Cohen's kappa of an ordered scale, disagreements weighted by their distance, or its square (Cohen 1968). The distance is that of
 * the values themselves, so that a scale may have any number of points, evenly spaced.
 *
 * @example
 * ```ts
 * import { weightedKappa } from "yoroshi/statistics";
 *
 * weightedKappa([[1, 1], [2, 3], [3, 3]], 2); // => 0.8
 * ```
 */
export function weightedKappa(pairs: readonly (readonly [truth: number, answer: number])[], power: 1 | 2): number | null {
  const n = pairs.length;
  if (n === 0) return null;
  const observed = pairs.reduce((sum, [truth, answer]) => sum + Math.abs(answer - truth) ** power, 0) / n;
  const expected = power === 2 ? squaredApart(pairs) : meanApart(pairs);
  return expected <= 0 ? null : 1 - observed / expected;
}

/** The mean squared distance of a right value and an answer drawn apart. */
function squaredApart(pairs: readonly (readonly [number, number])[]): number {
  const n = pairs.length;
  const [meanX, meanY] = [0, 1].map((side) => pairs.reduce((sum, pair) => sum + pair[side]!, 0) / n) as [number, number];
  return pairs.reduce((sum, [x, y]) => sum + (x - meanX) ** 2 + (y - meanY) ** 2, 0) / n + (meanX - meanY) ** 2;
}

/** The mean distance of the two: the area between their distributions' steps, in one walk over the sorted values. */
function meanApart(pairs: readonly (readonly [number, number])[]): number {
  const n = pairs.length;
  const all = pairs
    .flatMap(
      ([x, y]) =>
        [
          [x, 0],
          [y, 1],
        ] as const,
    )
    .sort((a, b) => a[0] - b[0]);
  const below: [number, number] = [0, 0];
  let sum = 0;
  all.forEach(([value, side], index) => {
    below[side]++;
    const gap = (all[index + 1]?.[0] ?? value) - value;
    // Pairs that lie on both sides of the gap.
    sum += gap * (below[0] * (n - below[1]) + below[1] * (n - below[0]));
  });
  return sum / (n * n);
}

/** 1 - observed / expected disagreement. A further column (no answer) disagrees with everything. */
function kappaOf(counts: readonly (readonly number[])[], size: number, weight: (row: number, column: number) => number): number | null {
  const rows = counts.map((row) => row.reduce((sum, count) => sum + count, 0));
  const width = Math.max(size, ...counts.map((row) => row.length));
  const columns = Array.from({ length: width }, (_, column) => counts.reduce((sum, row) => sum + (row[column] ?? 0), 0));
  const total = rows.reduce((sum, count) => sum + count, 0);
  if (total === 0) return null;
  let observed = 0;
  let expected = 0;
  for (let row = 0; row < size; row++) {
    for (let column = 0; column < width; column++) {
      if (row === column) continue;
      const apart = weight(row, column);
      observed += apart * (counts[row]![column] ?? 0);
      expected += (apart * rows[row]! * columns[column]!) / total;
    }
  }
  return expected === 0 ? null : 1 - observed / expected;
}

function matthews(right: number, total: number, support: readonly number[], answered: readonly number[]): number {
  const both = support.reduce((sum, count, index) => sum + count * answered[index]!, 0);
  const ofSupport = support.reduce((sum, count) => sum + count * count, 0);
  const ofAnswers = answered.reduce((sum, count) => sum + count * count, 0);
  const below = Math.sqrt(total * total - ofSupport) * Math.sqrt(total * total - ofAnswers);
  return below === 0 ? 0 : (right * total - both) / below;
}
