export { templateFileSchema } from "./file-schema.js";
export { fence } from "./fence.js";
export { fingerprinter, type Fingerprinter, type ModelIdentity, type Sha256 } from "./fingerprint.js";
export type { NamedShape } from "./instruct.js";
export { partAt, partPaths, prepare, type Message, type Prepared, type References, type Surroundings } from "./prepare.js";
export { readInputs, type InputReading } from "./read-inputs.js";
export { checkFormat, readTemplate, template, type TemplateReading } from "./read.js";
export {
  DEFAULT_MAX_TOKENS,
  TEMPLATE_FORMAT,
  type Example,
  type InputSpec,
  type InputValues,
  type ModelChoice,
  type PartValues,
  type ReferenceSpec,
  type Template,
  type TemplateShape,
  type WhenMissing,
} from "./template.js";
export { WARNING_CODES, warnTemplate, type Warning, type WarningCode } from "./warn.js";
export { RUN_NAMES, runValues, type RunValues } from "./run-values.js";
export type { Rule } from "./rules.js";
export { versionText } from "./version.js";
