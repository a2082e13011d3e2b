import type { Micros } from "../ground/index.js";
import type { Advice } from "./advice.js";
import type { PartComparison } from "./compare.js";
import type { EvidenceFigures } from "./evidence-figures.js";
import type { Disagreement, PartGrade } from "./grade.js";
import type { PartConfidence } from "./grading.js";
import type { JudgedText } from "./judge.js";
import type { Agreement, UnfitSample } from "./samples.js";
import type { Slice } from "./slices.js";
import type { Steadiness } from "./steadiness.js";

/** The form in which the ledger keeps reports of trials; raised when a reader of this one would misread them. */
export const REPORT_FORMAT = 1;

/** What came of a trial. */
export interface TrialReport {
  readonly run: string;
  readonly template: string;
  readonly version: number;
  readonly model: string;
  /** The samples file, for messages. */
  readonly file: string;
  readonly samples: number;
  readonly asked: number;
  readonly reused: number;
  readonly unanswered: number;
  readonly tokensIn: number;
  readonly tokensOut: number;
  /** What this trial cost now; answers known before cost nothing again. */
  readonly spent: Micros;
  /** What all its answers cost when they were asked. */
  readonly worth: Micros;
  readonly tookMs: number;
  /** Time that the answers took when they were asked, one after the other. */
  readonly answerMs: number;
  readonly parts: readonly PartGrade[];
  readonly disagreements: readonly Disagreement[];
  /** Whether the second look helped, part by part, where the template has one. */
  readonly secondLook?: readonly PartComparison[] | undefined;
  /** How often words were found that carry the parts which demand evidence. */
  readonly evidence?: readonly EvidenceFigures[] | undefined;
  /** Samples that the template carries as examples; they are not graded. */
  readonly examples: readonly string[];
  readonly agreement: readonly Agreement[];
  readonly slices: readonly Slice[];
  readonly steadiness: readonly Steadiness[];
  /** How far the answers' confidence can be trusted, where they have one. */
  readonly confidence: readonly PartConfidence[];
  readonly advice: Advice;
  readonly judged: readonly JudgedText[];
  /** Sealed samples: whether these were graded, how many there are, how often they were looked at before. */
  readonly sealed: { readonly graded: boolean; readonly rows: number; readonly looks: number };
  readonly unfit: readonly UnfitSample[];
}
