export { addCharge, dayOf, monthStart, type Charge } from "./charges.js";
export { CARRIED, carriedColumns, OWN_FACTS, UNFINISHED, type CarriedRow, type CarriedTable, type LedgerCarrier } from "./carry.js";
export { claim, hold, holderName, runHolder, type Held } from "./claim.js";
export type {
  AfterRecord,
  AfterStore,
  AnswerRecord,
  AnswerStore,
  AskAgain,
  CellRecord,
  ChangedCells,
  CellState,
  CellStore,
  ChargeStore,
  CheckedRow,
  CheckRecord,
  DaySpendRecord,
  DecidedCell,
  DecisionRecord,
  DecisionStore,
  Entry,
  FactStore,
  HeldCells,
  LeaseStore,
  Ledger,
  NoticeRecord,
  Reservation,
  RuleState,
  RunRecord,
  RunStore,
  SpendRecord,
  VersionRecord,
  VersionStore,
} from "./ledger.js";
export { memoryLedger } from "./memory.js";
export { recallFrom } from "./recall.js";
export { grantOf } from "./reserve.js";
export { answerRecord, answerRow, CELL_COLUMNS, cellRecord, cellRow, type AnswerRow, type CellRow } from "./rows.js";
