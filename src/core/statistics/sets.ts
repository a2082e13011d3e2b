/** Figures for answers that are sets of options. */
export interface SetReport {
  /** Share of rows whose set is exactly the right one. */
  readonly exact: number;
  /** Mean over rows of shared options / options in either (Jaccard 1901); two empty sets count 1. */
  readonly jaccard: number;
  readonly microF1: number;
  /** Mean of the options' F1; an option that never occurs counts 0. */
  readonly macroF1: number;
  /** Share of all yes-or-no decisions (rows x options) that are wrong. */
  readonly hammingLoss: number;
}

/**
 * Compares sets of options row by row.
 *
 * @param options all options there are; figures per option are over these.
 * @example
 * ```ts
 * import { setReport } from "yoroshi/statistics";
 *
 * setReport([[["fire"], ["fire", "spill"]]], ["fire", "spill"]).jaccard; // => 0.5
 * ```
 */
export function setReport(
  pairs: readonly (readonly [truth: readonly string[], answer: readonly string[]])[],
  options: readonly string[],
): SetReport {
  const hits = new Map(options.map((option) => [option, { both: 0, truth: 0, answer: 0 }]));
  let exact = 0;
  let jaccard = 0;
  let wrong = 0;
  for (const [truth, answer] of pairs) {
    const wanted = new Set(truth);
    const given = new Set(answer);
    const both = [...given].filter((option) => wanted.has(option)).length;
    const either = wanted.size + given.size - both;
    if (both === either) exact++;
    jaccard += either === 0 ? 1 : both / either;
    wrong += either - both;
    for (const option of wanted) count(option, "truth");
    for (const option of given) count(option, "answer");
    for (const option of given) if (wanted.has(option)) count(option, "both");
  }
  const f1 = ({ both, truth, answer }: { both: number; truth: number; answer: number }): number =>
    truth + answer === 0 ? 0 : (2 * both) / (truth + answer);
  const all = [...hits.values()];
  const summed = all.reduce((sum, one) => ({ both: sum.both + one.both, truth: sum.truth + one.truth, answer: sum.answer + one.answer }), {
    both: 0,
    truth: 0,
    answer: 0,
  });
  const rows = Math.max(1, pairs.length);
  return {
    exact: exact / rows,
    jaccard: jaccard / rows,
    microF1: f1(summed),
    macroF1: all.reduce((sum, one) => sum + f1(one), 0) / Math.max(1, all.length),
    hammingLoss: wrong / (rows * Math.max(1, options.length)),
  };

  function count(option: string, what: "both" | "truth" | "answer"): void {
    let one = hits.get(option);
    if (!one) hits.set(option, (one = { both: 0, truth: 0, answer: 0 }));
    one[what]++;
  }
}
