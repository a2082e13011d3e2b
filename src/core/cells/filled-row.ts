import type { CellState } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";

/** One row as a fill leaves it. */
export interface FilledRow {
  readonly key: string;
  /** Where it stands in its table, for messages. */
  readonly place: string;
  /** Column -> what the fill gives it; a person's value where one stands, "" where there is none. */
  readonly values: Readonly<Record<string, CellValue>>;
  readonly states: Readonly<Record<string, CellState>>;
  /** Column -> why it has no up-to-date value. */
  readonly reasons: Readonly<Record<string, string>>;
}
