export { headerAdvice } from "./header-advice.js";
export { cellText, shownCell, textRow, type CellGiven } from "./cell-text.js";
export { defang, defangCopied, refanged } from "./defang.js";
export { joinKey, keyColumnsOf, splitKey, type KeyColumns } from "./key.js";
export {
  memoryRelated,
  renamed,
  sortNumber,
  type FoundRows,
  type Related,
  type RelatedRow,
  type RelatedWay,
  type RowSource,
} from "./related.js";
export { memoryTable, type MemoryTable } from "./memory.js";
export { CELL_TYPES } from "./table.js";
export type {
  Beside,
  CellOut,
  CellsOf,
  CellType,
  CellValue,
  Chunk,
  Growth,
  Refusal,
  Row,
  ShownState,
  StandingRow,
  StatesOf,
  Table,
  TargetColumn,
  TopRow,
} from "./table.js";
export { plainText, asWrittenThere, type Wanted, type WritingOptions } from "./writing.js";
export { guessHeader, KeyFinder, profileColumns, type ColumnProfile, type KeyCandidate } from "./profile.js";
