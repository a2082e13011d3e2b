export { compare, type PartComparison } from "./compare.js";
export { grade, type Confusion, type Disagreement, type Graded, type PartGrade } from "./grade.js";
export { readSamples, type Sample, type SampleRow, type Samples, type UnfitSample } from "./samples.js";
export { earlierTrial, trial, type TrialOptions, type TrialReport, type TrialSetup } from "./trial.js";
