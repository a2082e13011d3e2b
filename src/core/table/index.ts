export { defang } from "./defang.js";
export { memoryTable, type MemoryTable } from "./memory.js";
export type { CellOut, CellsOf, Chunk, Row, Table, TargetColumn } from "./table.js";
