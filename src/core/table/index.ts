export { defang } from "./defang.js";
export { memoryRelated, renamed, sortNumber, type Related, type RelatedRow, type RelatedWay, type RowSource } from "./related.js";
export { memoryTable, type MemoryTable } from "./memory.js";
export type { CellOut, CellsOf, Chunk, Row, Table, TargetColumn } from "./table.js";
