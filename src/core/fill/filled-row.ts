import { sentenceOf } from "../ground/index.js";
import { columnState, type FilledRow, type Passing, type StepWork } from "../cells/index.js";
import type { CellRecord, CellState } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";

/**
 * How a row stands once all its steps are settled.
 *
 * @param records what the row's cells of each step stand as.
 */
export function filledRow(
  { row: { key, place } }: Passing,
  steps: readonly StepWork[],
  records: ReadonlyMap<StepWork, CellRecord | undefined>,
): FilledRow {
  const values: Record<string, CellValue> = {};
  const states: Record<string, CellState> = {};
  const reasons: Record<string, string> = {};
  for (const step of steps) {
    const record = records.get(step);
    for (const { name } of step.targets) {
      const edited = record?.edited?.[name];
      values[name] = edited ?? record?.values[name] ?? "";
      states[name] = columnState(record, name);
      if (edited === undefined && record?.reason !== undefined) reasons[name] = sentenceOf(record.reason);
    }
  }
  return { key, place, values, states, reasons };
}
