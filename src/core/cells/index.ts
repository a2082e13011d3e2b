export { UNFETCHED } from "./decide.js";
export { decide, openHolds, type Decision } from "./decide.js";
export { editRemarks } from "./edit-remarks.js";
export { absorbEdits } from "./edits.js";
export { explainCells, quotableOf, type CellExplanation } from "./explain.js";
export type { FilledRow } from "./filled-row.js";
export { columnState, shownRow } from "./hold-values.js";
export { handOn, inputsFor, isRows, notesRead, rowFor, typed, type Passing, type RowState } from "./passing.js";
export {
  answeredCells,
  givenCells,
  leftCells,
  markedCells,
  releasedCells,
  restandingCells,
  ruledCells,
  setCells,
  valuesOf,
  type Asked,
} from "./record.js";
export {
  askingOf,
  givesUp,
  isRuled,
  modelsOf,
  targetColumns,
  workOf,
  type AskWork,
  type FillEvents,
  type FillOptions,
  type FillSetup,
  type SpreadFigures,
  type Progress,
  type StepWork,
  type Target,
  type Work,
} from "./setup.js";
export { IN_TIME, settleHeld, withoutColumns, type CellVerdict } from "./settle-held.js";
export { partOf } from "./part-of.js";
export { renewsStanding } from "./standing.js";
export { changesOfRun, type Change } from "./run-changes.js";
export { STATE_MARKS, type StateMark } from "./marks.js";
export { seenRows, type SeenCell, type SeenRow } from "./seen.js";
export { survey, type OpenCell, type Survey } from "./survey.js";
export { Told, type ToldNote } from "./told.js";
export { consider, considerAll, filledMark, filledRows, inputCells, walk, type Considered } from "./walk.js";
export { NOT_WRITTEN, writeTable, type TableWritten } from "./write-table.js";
export { readWritten } from "./writers.js";
