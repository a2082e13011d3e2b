import type { CellRecord, CellState } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";
import type { Passing } from "./passing.js";
import type { StepWork } from "./setup.js";

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

/** @param records what the row's cells of each step stand as. */
export function filledRow({ row: { key, place } }: Passing, steps: readonly StepWork[], records: ReadonlyMap<StepWork, CellRecord | undefined>): FilledRow {
  const values: Record<string, CellValue> = {};
  const states: Record<string, CellState> = {};
  const reasons: Record<string, string> = {};
  for (const step of steps) {
    const record = records.get(step);
    for (const { name } of step.targets) {
      const edited = record?.edited?.[name];
      values[name] = edited ?? record?.values[name] ?? "";
      states[name] = edited === undefined ? (record?.state ?? "blank") : "edited";
      if (edited === undefined && record?.reason !== undefined) reasons[name] = record.reason;
    }
  }
  return { key, place, values, states, reasons };
}
