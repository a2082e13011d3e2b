export { addToTask } from "./amend.js";
export { draftFile, draftingTemplate, nameFrom, type DraftColumn } from "./draft.js";
export { templateFileSchema } from "./file-schema.js";
export { fence, fenceMark } from "./fence.js";
export { basisOf, changesBetween, fingerprinter, type Fingerprinter, type ModelIdentity, type Sha256 } from "./fingerprint.js";
export type { NamedShape } from "./instruct.js";
export { checkQuoted } from "./check-quoted.js";
export { apart, EVIDENCE_PATHS, evidenceAt, needsWords, type EvidencePath } from "./evidence.js";
export {
  columnAt,
  columnPaths,
  partAt,
  partPaths,
  prepare,
  untypedPrepared,
  whyAlone,
  type Prepared,
  type Surroundings,
  PROMPT_FORM,
} from "./prepare.js";
export { checkPassages, expandPassages, type Passage } from "./passages.js";
export type { LabelledRows } from "./pick-examples.js";
export { readInputs, type FoundSources, type InputReading, type NamedSource } from "./read-inputs.js";
export { findAll, gatherInputs, hasSources, type Finds } from "./gather.js";
export { checkFormat, readTemplate, template, type TemplateReading } from "./read.js";
export {
  CONFIDENCE,
  DEFAULT_DOUBT,
  DEFAULT_MAX_TOKENS,
  TEMPLATE_FORMAT,
  untyped,
  type Doubt,
  type Example,
  type ExamplesFrom,
  type InputSpec,
  type InputValues,
  type ModelChoice,
  type PartValues,
  type ReferenceColumns,
  type ReferenceRow,
  type ReferenceSpec,
  type SecondLook,
  type Template,
  type TemplateShape,
  type WhenLong,
  type WhenMissing,
} from "./template.js";
export { WARNING_CODES, warning, warnModel, warnTemplate, type KnownModel, type Warning, type WarningCode } from "./warn.js";
export { RUN_NAMES, runValues, type RunValues } from "./run-values.js";
export { inlineReference, type References } from "./resolve.js";
export type { Rule } from "./rules.js";
export { cutAtSentence, keepEnds, piecesOf } from "./shorten.js";
export { parsePlainText } from "./liquid.js";
export { renderTogether, ROW_MARK, rowMarks, schemaTogether, type MarkedRow } from "./together.js";
export { templateTypes } from "./typescript.js";
export { versionText } from "./version.js";
