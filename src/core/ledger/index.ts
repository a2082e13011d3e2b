export { addCharge, dayOf, monthStart, type Charge } from "./charges.js";
export { claim, holderName } from "./claim.js";
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
