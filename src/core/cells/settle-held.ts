import { remark } from "../ground/index.js";
import type { CellRecord, DecidedCell, HeldCells } from "../ledger/index.js";
import { heldColumns, isForCheck, type HeldBy } from "../review/index.js";
import type { CellValue } from "../table/index.js";

/** Who decided where nobody did in time. */
export const IN_TIME = "(overdue)";

/** What is decided of one column of a row. */
export interface CellVerdict {
  readonly column: string;
  readonly how: DecidedCell["how"];
  /** What stands in it from now on: of an edit, and of a rejection that states a value. */
  readonly value?: CellValue | undefined;
  readonly reason?: string | undefined;
}

/**
 * A row's cells once something is decided of them: accepted values go into the columns, edits take their place, rejected ones are blank or
 * as stated. Columns that nothing is said of stay held.
 *
 * @param held what was held; none of a value that stands already.
 * @param decided who decided, and in which act; left out where a rule no longer holds them.
 */
export function settleHeld(
  record: CellRecord,
  held: HeldCells | undefined,
  verdicts: readonly CellVerdict[],
  decided: Pick<DecidedCell, "by" | "at" | "act"> | undefined,
): CellRecord {
  const values: Record<string, CellValue> = { ...record.values };
  const marks: Record<string, DecidedCell> = { ...record.decided };
  for (const { column, how, value, reason } of verdicts) {
    const given = how === "accept" ? (held?.values[column] ?? record.values[column]) : value;
    if (given === undefined) delete values[column];
    else values[column] = given;
    if (decided) marks[column] = { how, ...decided, ...(reason ? { reason } : {}) };
  }
  const settled = new Set(verdicts.map(({ column }) => column));
  const left = held && withoutColumns(held, settled);
  const why = verdicts.find(({ how }) => how === "reject");
  const isBlank = Object.keys(values).length === 0;
  return {
    ...record,
    values,
    held: left,
    decided: Object.keys(marks).length > 0 ? marks : undefined,
    state: left ? "held" : isBlank ? "skipped" : "filled",
    reason: left ? remark("held", { rules: Object.keys(left.by) }) : isBlank ? remark("rejected", { reason: why?.reason }) : undefined,
  };
}

/** What is still held once some columns are settled; `undefined` where that is nothing. */
export function withoutColumns(held: HeldCells, settled: ReadonlySet<string>): HeldCells | undefined {
  const by: Record<string, readonly string[]> = {};
  for (const [rule, columns] of Object.entries(held.by) as [string, HeldBy[string]][]) {
    const left = columns.filter((column) => !settled.has(column));
    if (left.length > 0) by[rule] = left;
  }
  const columns = heldColumns(by);
  if (columns.length === 0) return undefined;
  return {
    ...held,
    ...(isForCheck(by) ? { like: "" } : {}),
    by,
    values: Object.fromEntries(columns.map((column) => [column, held.values[column]!])),
  };
}
