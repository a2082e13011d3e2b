export { addCharge, dayOf, monthStart, type Charge } from "./charges.js";
export { claim, holderName } from "./claim.js";
export type {
  AnswerRecord,
  AnswerStore,
  AskAgain,
  CellRecord,
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
  Reservation,
  RunRecord,
  RunStore,
  SpendRecord,
  VersionRecord,
  VersionStore,
} from "./ledger.js";
export { memoryLedger } from "./memory.js";
export { recallFrom } from "./recall.js";
export { grantOf } from "./reserve.js";
