export { addCharge, dayOf, monthStart, type Charge } from "./charges.js";
export { CARRIED, carriedColumns, OWN_FACTS, UNFINISHED, type CarriedRow, type CarriedTable, type LedgerCarrier } from "./carry.js";
export { claim, hold, holderName, runHolder, type Held } from "./claim.js";
export type {
  AfterStore,
  AnswerStore,
  ChangedCells,
  CellStore,
  ChargeStore,
  DecisionStore,
  Entry,
  FactStore,
  LeaseStore,
  Ledger,
  Reservation,
  RunStore,
  VersionStore,
} from "./ledger.js";
export { memoryLedger } from "./memory.js";
export type {
  AfterRecord,
  AnswerRecord,
  AskAgain,
  CellRecord,
  CellState,
  CheckedRow,
  CheckRecord,
  DaySpendRecord,
  DecidedCell,
  DecisionRecord,
  HeldCells,
  NoticeRecord,
  RuleState,
  RunRecord,
  SpendRecord,
  VersionRecord,
} from "./records.js";
export { recallFrom } from "./recall.js";
export { grantOf } from "./reserve.js";
export { answerRecord, answerRow, CELL_COLUMNS, cellRecord, cellRow, type AnswerRow, type CellRow } from "./rows.js";
