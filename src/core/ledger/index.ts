export type { AnswerRecord, CellRecord, CellState, CellValue, Ledger, RunRecord, SpendRecord, VersionRecord } from "./ledger.js";
export { memoryLedger } from "./memory.js";
