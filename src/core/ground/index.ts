export { atOnce, type AtOnce } from "./at-once.js";
export { canonicalJson, type Json } from "./canonical.js";
export type { CancelSignal, Clock } from "./clock.js";
export { complain, formatComplaint, formatPlace, type Complaint, type ComplaintCode, type Place } from "./complaint.js";
export { timesRounded } from "./decimal.js";
export { quickHash, sha256Hex } from "./digest.js";
export { pattern, patternProblem, patternsReady, type Pattern } from "./pattern.js";
export { documentOf, type Path, type SourceDocument } from "./document.js";
export { readDocument } from "./read-document.js";
export { ERRORS, YoroshiError, isYoroshiError, type AnyYoroshiError, type ErrorCode, type ErrorDetails } from "./errors.js";
export {
  readExpression,
  readFormula,
  readFormulaOver,
  readTest,
  type Expression,
  type Formula,
  type FormulaOver,
  type Test,
} from "./expression.js";
export { formatMoney, toMicros, type Micros } from "./money.js";
export { htmlOfMarkdown, markupNeeded, markupReady, wordsOfHtml } from "./markup.js";
export { mapValues } from "./map-values.js";
export { nearest } from "./nearest.js";
export {
  columnsSourceShapes,
  inDatabase,
  isKeyless,
  NO_KEY,
  rowsSourceShape,
  sourceName,
  tableSourceShape,
  WHOLE_TABLE,
  type ColumnWriting,
  type DatabaseSource,
  type FigureSource,
  type FileSource,
  type GroupsSource,
  type ItemsSource,
  type RowsSource,
  type TableSource,
  type TableWriting,
  figuresShape,
  ofPlan,
  relatedRowsShape,
  type PlanRows,
  FOLDER_KEY,
  isMade,
  isReadOnly,
  isWorkbook,
  type FolderSource,
} from "./table-source.js";
export { eitherSignal, ownSignal, relaySignal, toldOrAborted, type OwnSignal } from "./relay.js";
export { messageImages, messageText, textMessage, type ImagePart, type Message, type MessagePart, type TextPart } from "./message.js";
export { keptRemark, remark, REMARKS, ruleTold, sameRemark, sentenceOf, withoutFigures, type Remark, type RemarkCode } from "./remark.js";
export { keep, plainJson, readKept, type StoredForm } from "./stored.js";
export { checkShape } from "./shape.js";
export { countChars, groupDigits, joinWords, plural, sentences, utf8Length, wellFormed, wordPattern } from "./words.js";
export { seededChance, type Chance } from "./chance.js";
