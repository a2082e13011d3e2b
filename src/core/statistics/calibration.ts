import { wilson, type Interval } from "./wilson.js";

/** Rows whose confidence lies in one range, and how many of them were right. */
export interface ReliabilityBin {
  readonly from: number;
  readonly to: number;
  readonly rows: number;
  readonly meanConfidence: number;
  readonly accuracy: number;
  readonly interval: Interval;
}

/** How far stated confidence can be trusted. */
export interface CalibrationReport {
  readonly bins: readonly ReliabilityBin[];
  /** Mean of (confidence - right)^2 (Brier 1950): 0 is best. */
  readonly brier: number;
  /** Expected calibration error (Naeini et al. 2015): the bins' distance between confidence and accuracy, by their rows. */
  readonly calibrationError: number;
}

/** Stated confidences, and whether each answer was right. */
export type Judged = readonly { readonly confidence: number; readonly right: boolean }[];

const BINS = 10;

/**
 * How far stated confidence can be trusted, over ten ranges of equal width; a value on a border belongs to the upper one, 1 to the last.
 *
 * @example
 * ```ts
 * import { calibration } from "yoroshi/statistics";
 *
 * calibration([{ confidence: 0.9, right: true }, { confidence: 0.9, right: false }]).brier; // => 0.41
 * ```
 */
export function calibration(judged: Judged): CalibrationReport {
  const n = Math.max(1, judged.length);
  const sums = Array.from({ length: BINS }, () => ({ rows: 0, confidence: 0, right: 0 }));
  let brier = 0;
  for (const { confidence, right } of judged) {
    const bin = sums[Math.min(BINS - 1, Math.max(0, Math.floor(confidence * BINS + 1e-12)))]!;
    bin.rows++;
    bin.confidence += confidence;
    if (right) bin.right++;
    brier += (confidence - (right ? 1 : 0)) ** 2;
  }
  const bins = sums.flatMap(({ rows, confidence, right }, index) =>
    rows === 0
      ? []
      : [
          {
            from: index / BINS,
            to: (index + 1) / BINS,
            rows,
            meanConfidence: confidence / rows,
            accuracy: right / rows,
            interval: wilson(right, rows),
          },
        ],
  );
  return {
    bins,
    brier: brier / n,
    calibrationError: bins.reduce((sum, bin) => sum + (bin.rows / n) * Math.abs(bin.accuracy - bin.meanConfidence), 0),
  };
}

/** A confidence from which on answers are right often enough. */
export interface Threshold {
  /** Answers at or above it reach the accuracy that was asked for. */
  readonly threshold: number;
  readonly accuracy: number;
  readonly interval: Interval;
  /** Share of rows below it, which would go to a person. */
  readonly toPerson: number;
}

/**
 * The lowest confidence from which on the answers reach an accuracy; `undefined` where none does.
 *
 * @example
 * ```ts
 * import { thresholdFor } from "yoroshi/statistics";
 *
 * const judged = [0.9, 0.8, 0.4].map((confidence) => ({ confidence, right: confidence > 0.5 }));
 * thresholdFor(judged, 1)?.threshold; // => 0.8
 * ```
 */
export function thresholdFor(judged: Judged, accuracy: number): Threshold | undefined {
  const sorted = judged.toSorted((a, b) => b.confidence - a.confidence);
  let right = 0;
  let best: Threshold | undefined;
  sorted.forEach((one, index) => {
    if (one.right) right++;
    const rows = index + 1;
    // Rows of equal confidence go together.
    if (sorted[rows]?.confidence === one.confidence) return;
    if (right / rows >= accuracy)
      best = { threshold: one.confidence, accuracy: right / rows, interval: wilson(right, rows), toPerson: 1 - rows / sorted.length };
  });
  return best;
}
