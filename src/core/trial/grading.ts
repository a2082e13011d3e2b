import type { Confidence } from "../answer/index.js";
import { calibration, thresholdFor, type CalibrationReport, type Threshold } from "../statistics/index.js";
import type { PartGrade } from "./grade.js";

export { adviseOn } from "./advice.js";
export { compare } from "./compare.js";
export { evidenceFigures } from "./evidence-figures.js";
export { grade } from "./grade.js";
export { judgedOf, judgeInputs } from "./judge.js";
export { sliceGrades } from "./slices.js";
export { steadiness } from "./steadiness.js";

/** How far a part's confidence can be trusted, and from where on it reaches an accuracy. */
export interface PartConfidence extends CalibrationReport {
  readonly part: string;
  readonly reach: number;
  readonly threshold?: Threshold | undefined;
}

export function partConfidence(part: PartGrade, confidences: ReadonlyMap<string, Confidence>, reach: number): PartConfidence {
  const judged = Object.entries(part.verdicts).flatMap(([id, right]) => {
    const confidence = confidences.get(id);
    return confidence ? [{ confidence: confidence.parts?.[part.part] ?? confidence.value, right }] : [];
  });
  return { part: part.part, reach, ...calibration(judged), threshold: thresholdFor(judged, reach) };
}
