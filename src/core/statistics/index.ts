export { fleissKappa, majority } from "./agreement.js";
export { calibration, thresholdFor, type CalibrationReport, type Judged, type ReliabilityBin, type Threshold } from "./calibration.js";
export { chiSquare, type ChiSquare } from "./chi-square.js";
export { clopperPearson } from "./clopper-pearson.js";
export { hypergeometricBounds, hypergeometricTails, rowsToShow, sequentialBounds, type CountBounds } from "./hypergeometric.js";
export { krippendorffAlpha, type Scale } from "./krippendorff.js";
export {
  classReport,
  countConfusion,
  weightedKappa,
  type Averages,
  type ClassFigures,
  type ClassReport,
  type ConfusionCounts,
} from "./classes.js";
export { mcnemarExact, mcnemarMidP } from "./mcnemar.js";
export { kendall, numberReport, pearson, spearman, type NumberReport } from "./numbers.js";
export { fisherExact, holm, newcombeP, newcombePaired, rowsForHalfWidth, rowsToTellApart, type PairedCounts } from "./proportions.js";
export { bootstrap, bootstrapAll, DEFAULT_RESAMPLES, pairedPermutation, quantile } from "./resample.js";
export { setReport, type SetReport } from "./sets.js";
export { editSimilarity, rougeL, rougeN, sameWords } from "./texts.js";
export { wilson, Z95, type Interval } from "./wilson.js";
