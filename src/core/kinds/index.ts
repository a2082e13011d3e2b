export { choiceOptions, optionsOf, type ChoiceSpec } from "./choice.js";
export type { ChoicesSpec } from "./choices.js";
export { plainDay, plainDayTime, type DateSpec } from "./date.js";
export { DEFAULT_MAX_PAGES, pageRanges, type DocumentSpec } from "./document.js";
export { DEFAULT_LONGEST_SIDE, type ImageSpec } from "./image.js";
export { DEFAULT_MAX_AGE_DAYS, type PageSpec } from "./page.js";
export { isHandles, namesIn, type SourceHandle, type SourceSpec } from "./source-handle.js";
export {
  fits,
  jsonSchemaOf,
  keptSchemaOf,
  misfit,
  shapeSpec,
  type AnySpec,
  type Control,
  type Given,
  type Kind,
  type Measure,
  type Option,
  type Reading,
  type Shaped,
  type Weakness,
} from "./kind.js";
export { FOUND, LEGWORK_DEFAULTS, type LegworkSpec } from "./legwork.js";
export type { ListSpec } from "./list.js";
export { mapLeaves, referenceOf, referencesIn, specsInside, specsWithin } from "./nested.js";
export type { NumberSpec } from "./number.js";
export { plainNumber } from "./plain-number.js";
export { hasKind, kindNames, kindOf, specSchema } from "./registry.js";
export type { RecordSpec } from "./record.js";
export { relativeDay } from "./relative-day.js";
export { columnSpec, type RowsSpec } from "./rows.js";
export { tellNamed } from "./tell.js";
export type { ScoreSpec } from "./score.js";
export type { TextSpec } from "./text.js";
export type { CheckedSpec, KindSpecs, KindValues, ValueOf } from "./value-of.js";
export type { YesNoSpec } from "./yes-no.js";
