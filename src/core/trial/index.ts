export { adviseOn, type Advice, type ConfusedPair, type DoubtfulLabel } from "./advice.js";
export { conclusion, contest, gradeColumns, type Contest, type Contestant } from "./contest.js";
export { adjust, compare, type PartComparison } from "./compare.js";
export { figuresOfEvidence, type EvidenceFigures } from "./evidence-figures.js";
export type { GradeOptions, KindFigures } from "./figures.js";
export { drawRows, drawSealed, type Drawable, type DrawWay } from "./draw.js";
export { grade, valueAt, type Disagreement, type Graded, type PartGrade } from "./grade.js";
export {
  barrenLegwork,
  inputsMark,
  MARK_COLUMN,
  readSamples,
  sourcesOfSamples,
  SEALED,
  SET_COLUMN,
  type Agreement,
  type Sample,
  type SampleOptions,
  type SampleRow,
  type Samples,
  type UnfitSample,
} from "./samples.js";
export type { PartConfidence } from "./grading.js";
export type { Judge, JudgedText } from "./judge.js";
export { mistakesText, suggestingTemplate } from "./suggest.js";
export { sliceGrades, type Slice } from "./slices.js";
export { steadiness, type Steadiness } from "./steadiness.js";
export { earlierTrial, recordedTrials, type RecordedTrial } from "./recorded.js";
export { contestReport, TRIAL_REPORT, trialReport } from "./report-form.js";
export type { TrialReport } from "./report.js";
export { trial, type TrialOptions, type TrialSetup } from "./trial.js";
export { askSealedAgain, lastSealedAgain, type SealedAgain } from "./sealed-again.js";
