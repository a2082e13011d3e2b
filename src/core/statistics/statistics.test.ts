import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  bootstrap,
  calibration,
  chiSquare,
  classReport,
  clopperPearson,
  countConfusion,
  editSimilarity,
  fisherExact,
  fleissKappa,
  holm,
  hypergeometricBounds,
  krippendorffAlpha,
  majority,
  mcnemarExact,
  mcnemarMidP,
  newcombeP,
  newcombePaired,
  numberReport,
  pairedPermutation,
  pearson,
  quantile,
  rougeL,
  rougeN,
  rowsForHalfWidth,
  rowsToTellApart,
  sameWords,
  setReport,
  thresholdFor,
  weightedKappa,
  wilson,
} from "./index.js";
import { normalTails } from "./special.js";

/** Reference values; the file names the software that made them. */
const reference = JSON.parse(readFileSync(new URL("./reference.json", import.meta.url), "utf8"));
/** Agreement to 1e-9 relative. */
const near = (found: number | null, wanted: number): void =>
  expect(Math.abs(found! - wanted)).toBeLessThanOrEqual(1e-9 * Math.max(1, Math.abs(wanted)));

describe("agrees with reference values", () => {
  it("for classes", () => {
    for (const { truth, answer, labels, ...wanted } of reference.classes) {
      const report = classReport(
        countConfusion(
          truth.map((one: string, index: number) => [one, answer[index]]),
          labels,
        ),
      );
      near(report.accuracy, wanted.accuracy);
      report.classes.forEach((one, index) => {
        near(one.precision, wanted.precision[index]);
        near(one.recall, wanted.recall[index]);
        near(one.f1, wanted.f1[index]);
        expect(one.support).toBe(wanted.support[index]);
      });
      for (const way of ["macro", "micro", "weighted"] as const)
        (["precision", "recall", "f1"] as const).forEach((figure, index) => near(report[way][figure], wanted[way][index]));
      near(report.balancedAccuracy, wanted.balanced);
      if (wanted.kappa === null) expect(report.kappa).toBeNull();
      else near(report.kappa, wanted.kappa);
      near(report.matthews, wanted.matthews);
    }
  });

  it("for numbers and scores", () => {
    for (const { truth, answer, ...wanted } of reference.numbers) {
      const pairs = truth.map((one: number, index: number) => [one, answer[index]] as const);
      const report = numberReport(pairs);
      near(report.meanAbsoluteError, wanted.mae);
      near(report.rootMeanSquareError, wanted.rmse);
      near(report.bias, wanted.bias);
      near(report.spearman, wanted.spearman);
      near(report.kendall, wanted.kendall);
      if (wanted.linear === undefined) continue;
      near(weightedKappa(pairs, 1), wanted.linear);
      near(weightedKappa(pairs, 2), wanted.quadratic);
    }
  });

  it("for tests, intervals and agreement", () => {
    for (const { won, lost, exact, midP } of reference.mcnemar) {
      near(mcnemarExact(won, lost), exact);
      near(mcnemarMidP(won, lost), midP);
      expect(mcnemarExact(lost, won)).toBe(mcnemarExact(won, lost));
    }
    for (const { right, total, low, high } of reference.wilson) {
      near(wilson(right, total).low, low);
      near(wilson(right, total).high, high);
    }
    for (const { a, b, c, d, p } of reference.fisher) near(fisherExact(a, a + b, c, c + d), p);
    holm(reference.holm.ps).forEach((p, index) => near(p, reference.holm.adjusted[index]));
    near(fleissKappa(reference.fleiss.ratings), reference.fleiss.kappa);
    near(pairedPermutation(reference.permutation.differences), reference.permutation.p);
  });

  it("for what was added later", () => {
    const { more } = reference;
    for (const { right, total, low, high } of more.clopperPearson) {
      near(clopperPearson(right, total).low, low);
      near(clopperPearson(right, total).high, high);
    }
    for (const { x, y, r } of more.pearson) near(pearson(x.map((one: number, index: number) => [one, y[index]] as const)), r);
    for (const { table, statistic, freedom, p } of more.chiSquare) {
      const found = chiSquare(table);
      near(found.statistic, statistic);
      near(found.p, p);
      expect(found.freedom).toBe(freedom);
    }
    for (const { population, sample, found, low, high } of more.hypergeometric)
      expect(hypergeometricBounds(population, sample, found)).toEqual({ low, high });
    for (const { rows, nominal, interval } of more.krippendorff) {
      const ratings = rows.map((row: (number | null)[]) => row.filter((value) => value !== null));
      near(krippendorffAlpha(ratings, "nominal"), nominal);
      near(krippendorffAlpha(ratings, "interval"), interval);
    }
    const { truth, answer, linear, quadratic } = more.wideKappa;
    const wide = truth.map((one: number, index: number) => [one, answer[index]] as const);
    near(weightedKappa(wide, 1), linear);
    near(weightedKappa(wide, 2), quadratic);
    for (const { won, lost, midP } of more.midP) near(mcnemarMidP(won, lost), midP);
    for (const { z, p } of more.normal) near(normalTails(z), p);
  });

  it("for Krippendorff's alpha on the data of his own example (2011, section C: four observers, twelve units)", () => {
    const observers = ["1 2 3 3 2 1 4 1 2 . . .", "1 2 3 3 2 2 4 1 2 5 . 3", ". 3 3 3 2 3 4 2 2 5 1 .", "1 2 3 3 2 4 4 1 2 5 1 ."].map(
      (row) => row.split(" "),
    );
    const units = observers[0]!.map((_, unit) => observers.flatMap((row) => (row[unit] === "." ? [] : [Number(row[unit])])));
    expect((["nominal", "ordinal", "interval"] as const).map((scale) => krippendorffAlpha(units, scale)!.toFixed(3))).toEqual([
      "0.743",
      "0.815",
      "0.849",
    ]);
    expect([
      krippendorffAlpha([], "nominal"),
      krippendorffAlpha(
        [
          ["a", "a"],
          ["a", "a"],
        ],
        "nominal",
      ),
      krippendorffAlpha([["a"]], "nominal"),
    ]).toEqual([null, null, null]);
  });

  it("for the difference of two shares: interval and p-value never say different things", () => {
    fc.assert(
      fc.property(fc.nat(40), fc.nat(15), fc.nat(15), fc.nat(40), (both, won, lost, neither) => {
        fc.pre(both + won + lost + neither > 0);
        const counts = { both, won, lost, neither };
        const { low, high } = newcombePaired(counts);
        const p = newcombeP(counts);
        fc.pre(Math.abs(p - 0.05) > 1e-9);
        expect(p < 0.05).toBe(low > 0 || high < 0);
        expect(p).toBeGreaterThanOrEqual(0);
        expect(p).toBeLessThanOrEqual(1);
      }),
      { numRuns: 500 },
    );
  });

  it("for sets and calibration", () => {
    const { pairs, options, ...wanted } = reference.sets;
    const report = setReport(pairs, options);
    for (const figure of ["exact", "jaccard", "microF1", "macroF1", "hammingLoss"] as const) near(report[figure], wanted[figure]);
    const { confidence, right, brier } = reference.calibration;
    near(calibration(confidence.map((one: number, index: number) => ({ confidence: one, right: right[index] }))).brier, brier);
  });

  it("for the paired difference: Fagerland, Lydersen and Laake 2014, table III (airway data), square-and-add", () => {
    const { low, high } = newcombePaired({ both: 1, won: 1, lost: 7, neither: 12 });
    expect([low.toFixed(3), high.toFixed(3)]).toEqual(["-0.507", "-0.026"]);
  });
});

describe("at the edges", () => {
  it("has a stated value, never NaN", () => {
    const finite = (value: unknown): void =>
      JSON.stringify(value, (_, one: unknown) => {
        if (typeof one === "number") expect(Number.isFinite(one)).toBe(true);
        return one;
      }) as unknown as void;
    for (const pairs of [
      [],
      [["a", "a"]],
      [["a", undefined]],
      [["a", "b"]],
      [
        ["a", "a"],
        ["a", undefined],
      ],
    ] as [string, string | undefined][][])
      finite(classReport(countConfusion(pairs)));
    finite(numberReport([]));
    finite(numberReport([[1, 1]]));
    expect(
      numberReport([
        [1, 2],
        [1, 3],
      ]),
    ).toMatchObject({ spearman: null, kendall: null });
    finite(setReport([], []));
    finite(calibration([]));
    expect(newcombePaired({ both: 0, won: 0, lost: 0, neither: 0 })).toEqual({ low: -1, high: 1 });
    expect([
      fleissKappa([]),
      fleissKappa([["a"]]),
      fleissKappa([
        ["a", "a"],
        ["a", "a"],
      ]),
    ]).toEqual([null, null, null]);
    expect([majority([]), majority(["a", "b"]), majority(["a", "b", "a"])]).toEqual([undefined, undefined, "a"]);
    expect([
      mcnemarExact(0, 0),
      mcnemarMidP(0, 0),
      pairedPermutation([]),
      fisherExact(0, 0, 3, 5),
      bootstrap(0, () => 1),
      holm([]),
    ]).toEqual([1, 1, 1, 1, null, []]);
  });

  it("an option that nobody labelled takes from one macro mean, and not from the other", () => {
    const { macro, macroLabelled } = classReport(
      countConfusion([
        ["a", "a"],
        ["a", "c"],
        ["b", "b"],
      ]),
    );
    expect([macro.f1, macroLabelled.f1]).toEqual([(2 / 3 + 1 + 0) / 3, (2 / 3 + 1) / 2]);
  });

  it("a row without an answer counts as wrong for its value and as no answer of any", () => {
    const report = classReport(
      countConfusion([
        ["a", "a"],
        ["a", undefined],
        ["b", "b"],
      ]),
    );
    expect(report).toMatchObject({ accuracy: 2 / 3, micro: { precision: 1, recall: 2 / 3, f1: 0.8 }, balancedAccuracy: 0.75 });
    expect(report.classes).toEqual([
      { label: "a", precision: 1, recall: 0.5, f1: 2 / 3, support: 2, answered: 1 },
      { label: "b", precision: 1, recall: 1, f1: 1, support: 1, answered: 1 },
    ]);
  });
});

describe("what a trial tells of itself", () => {
  it("how many rows an interval needs: one fewer would be too wide", () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), fc.integer({ min: 1, max: 20 }), (share, percent) => {
        const rows = rowsForHalfWidth(share, percent / 100);
        const half = (n: number): number => {
          const z2 = 1.959963984540054 ** 2;
          return (1.959963984540054 * Math.sqrt((share * (1 - share)) / n + z2 / (4 * n * n))) / (1 + z2 / n);
        };
        expect(half(rows)).toBeLessThanOrEqual(percent / 100 + 1e-12);
        if (rows > 1) expect(half(rows - 1)).toBeGreaterThan(percent / 100 - 1e-12);
      }),
    );
    expect(rowsForHalfWidth(0.7, 0.05)).toBe(320);
  });

  it("how many rows would tell two apart (Connor 1987: 20 % against 10 % discordant, 80 % power)", () => {
    expect(rowsToTellApart({ both: 50, won: 20, lost: 10, neither: 20 })).toBe(234);
    expect(rowsToTellApart({ both: 5, won: 3, lost: 3, neither: 2 })).toBeUndefined();
  });

  it("bootstrap intervals repeat with their seed, and hold the mean of a normal sample", () => {
    const values = Array.from({ length: 200 }, (_, index) => Math.sin(index * 12.9898) * 3 + 5);
    const mean = (indices: Int32Array): number => indices.reduce((sum, index) => sum + values[index]!, 0) / indices.length;
    const one = bootstrap(values.length, mean)!;
    expect(bootstrap(values.length, mean)).toEqual(one);
    expect(bootstrap(values.length, mean, { seed: 2 })).not.toEqual(one);
    const truth = values.reduce((sum, value) => sum + value, 0) / values.length;
    const error = Math.sqrt(values.reduce((sum, value) => sum + (value - truth) ** 2, 0)) / values.length;
    expect(one.low).toBeCloseTo(truth - 1.96 * error, 1);
    expect(one.high).toBeCloseTo(truth + 1.96 * error, 1);
    expect(quantile([1, 2, 3, 4], 0.5)).toBe(2.5);
  });

  it("a permutation test of many rows comes near the exact one, and is never 0", () => {
    const differences = Array.from({ length: 16 }, (_, index) => (index % 3) - 0.6);
    const exact = pairedPermutation(differences, { draws: 70_000 });
    expect(pairedPermutation(differences, { draws: 20_000 })).toBeCloseTo(exact, 2);
    expect(pairedPermutation(Array(40).fill(1))).toBeCloseTo(1 / 10_001, 10);
  });

  it("the confidence from which on answers are right often enough, equal ones together", () => {
    const judged = [
      [0.9, true],
      [0.9, true],
      [0.8, true],
      [0.8, false],
      [0.5, false],
    ].map(([confidence, right]) => ({ confidence: confidence as number, right: right as boolean }));
    expect(thresholdFor(judged, 0.9)).toMatchObject({ threshold: 0.9, accuracy: 1, toPerson: 0.6 });
    expect(thresholdFor(judged, 0.75)).toMatchObject({ threshold: 0.8, accuracy: 0.75 });
    expect(thresholdFor(judged.slice(4), 0.5)).toBeUndefined();
    const { bins, calibrationError } = calibration(judged);
    expect(bins.map(({ from, rows, accuracy }) => [from, rows, accuracy])).toEqual([
      [0.5, 1, 0],
      [0.8, 2, 0.5],
      [0.9, 2, 1],
    ]);
    expect(calibrationError).toBeCloseTo(0.2 * 0.5 + 0.4 * 0.3 + 0.4 * 0.1, 12);
  });

  it("texts by words, runs of words and edits", () => {
    expect([
      rougeN("the cat sat", "the cat ran", 1),
      rougeN("the cat sat", "the cat ran", 2),
      rougeL("a b c d", "a c d b"),
      rougeN("", "", 1),
      rougeL("a", ""),
    ]).toEqual([2 / 3, 0.5, 0.75, 1, 0]);
    expect([rougeN("fire", "smoke", 2), rougeN("fire", "fire", 2), rougeN("", "", 2), rougeN("fire in the hold", "fire", 2)]).toEqual([
      0, 0, 1, 0,
    ]);
    expect([
      sameWords("Oil, spilled!", "oil spilled"),
      sameWords("a b", "b a"),
      sameWords("!", "?"),
      editSimilarity("abcd", "abxd"),
      editSimilarity("", ""),
    ]).toEqual([true, false, false, 0.75, 1]);
  });
});
