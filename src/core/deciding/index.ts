export { changeCell, restoreCell, stepOfColumn, type CellChange, type CellChanged } from "./change-cell.js";
export { checkDecisions, currentCheck, drawCheck, rowsToCheck, type CheckOptions, type ToCheck } from "./check.js";
export { checkFigures, releaseShown, type CheckFigures, type ColumnError } from "./column-error.js";
export {
  cellOf,
  decideRow,
  decidingWork,
  judgedValue,
  type Decision as RowVerdict,
  type RowDecided,
  type RowDecision,
} from "./decide-row.js";
export { letStand, type LetStand } from "./let-stand.js";
export { peopleFigures, type PeopleFigures, type Reviewer, type TogetherFigures, type VersionShare } from "./people.js";
export { sameValue } from "./same-value.js";
export { undoDecision, type Undone } from "./undo.js";
export { undoRun, type RunUndone } from "./undo-run.js";
export { countWaiting, stepsOf, waitingRowOf, waitingRows, type WaitingChoice, type WaitingRow, type WaitingValue } from "./waiting.js";
export { writeDecided } from "./write-decided.js";
