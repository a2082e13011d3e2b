export { defang } from "./defang.js";
export { joinKey, keyColumnsOf, type KeyColumns } from "./key.js";
export { memoryRelated, renamed, sortNumber, type Related, type RelatedRow, type RelatedWay, type RowSource } from "./related.js";
export { memoryTable, type MemoryTable } from "./memory.js";
export type { CellOut, CellsOf, CellType, Chunk, Row, StandingRow, Table, TargetColumn } from "./table.js";
