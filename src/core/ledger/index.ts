export type { AnswerRecord, CellRecord, CellState, Entry, Ledger, RunRecord, SpendRecord, VersionRecord } from "./ledger.js";
export { addCharge, chargesOf, dayOf, monthStart, type Charge } from "./charges.js";
export { memoryLedger } from "./memory.js";
export { recallFrom } from "./recall.js";
