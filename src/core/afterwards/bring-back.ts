import { readWritten, ruledCells, type FillSetup } from "../cells/index.js";
import type { AfterRecord, CellRecord } from "../ledger/index.js";
import { AFTER_STEP, OWN_STEP, type ReadyAfterRule } from "../plan/index.js";
import { joinKey, keyColumnsOf, type CellValue } from "../table/index.js";
import type { OtherTable } from "./other-tables.js";

/** A column that two people changed: here, and in the appended row. */
export interface Conflict {
  readonly rule: string;
  /** The row here, and the appended one. */
  readonly key: string;
  readonly there: string;
  readonly column: string;
  readonly valueHere: string;
  readonly valueThere: string;
}

export interface BroughtBack {
  /** Cells of the plan's own table that have what stands in appended rows. */
  readonly brought: number;
  readonly conflicts: readonly Conflict[];
}

/** The columns of an appended row that may be changed there. */
const backOf = ({ rule }: ReadyAfterRule): readonly string[] => rule.append?.back ?? [];

/** Whether anything may come back from a table. */
export const bringsBack = ({ rules }: OtherTable): boolean => rules.some((rule) => backOf(rule).length > 0);

/**
 * Brings what people changed in appended rows back to the rows that they are for. What was changed in both places since they last agreed is
 * left as it stands, and told: no clock settles it. A person's edits there must have been looked for.
 */
export async function bringBack(setup: FillSetup, other: OtherTable, run: string): Promise<BroughtBack> {
  const { plan, ledger, clock } = setup;
  const { at: writtenAt } = await readWritten(setup);
  const conflicts: Conflict[] = [];
  let brought = 0;
  for await (const some of ledger.afterwards.all(plan.name)) {
    const rows = some.flatMap((record) => rowsOf(record, other));
    if (rows.length === 0) continue;
    const there = await ledger.cells.find(
      other.name,
      OWN_STEP,
      rows.map((row) => row.there),
    );
    const here = await ledger.cells.find(
      plan.name,
      AFTER_STEP,
      rows.map((row) => row.key),
    );
    const cells: CellRecord[] = [];
    for (const { key, rule, gives, there: name } of rows) {
      const record = here.get(key);
      const taken: Record<string, string> = {};
      // Columns in which both tables agree from now on: what stands there is no longer a change of one of them.
      const agreed: Record<string, string> = {};
      for (const column of backOf(rule)) {
        const valueThere = there.get(name)?.edited?.[column];
        if (valueThere === undefined) continue;
        const last = String(gives[column] ?? "");
        const valueHere = String(record?.edited?.[column] ?? record?.values[column] ?? last);
        if (valueThere === last || valueThere === valueHere) agreed[column] = valueThere;
        else if (valueHere === last) agreed[column] = taken[column] = valueThere;
        else conflicts.push({ rule: rule.id, key, there: name, column, valueHere, valueThere });
      }
      if (Object.keys(agreed).length > 0) cells.push(withAgreed(there.get(name)!, agreed, clock.now()));
      if (Object.keys(taken).length === 0) continue;
      brought += Object.keys(taken).length;
      cells.push(withTaken(record, { plan: plan.name, key, taken, gives, writtenAt, run, now: clock.now() }));
    }
    if (cells.length > 0) await ledger.record({ cells });
  }
  return { brought, conflicts };
}

interface Appended {
  readonly key: string;
  readonly there: string;
  readonly rule: ReadyAfterRule;
  readonly gives: Readonly<Record<string, CellValue>>;
}

function rowsOf({ key, rules }: AfterRecord, other: OtherTable): Appended[] {
  return other.rules.flatMap((rule) => {
    const gives = rules[rule.id]?.gives;
    if (!gives || backOf(rule).length === 0) return [];
    const there = joinKey(keyColumnsOf(other.source.key).map((column) => String(gives[column] ?? "")));
    return there === "" ? [] : [{ key, there, rule, gives }];
  });
}

/** The cells of the appended row with what stands there as its own value. */
function withAgreed(record: CellRecord, agreed: Readonly<Record<string, string>>, now: number): CellRecord {
  const edited = Object.entries(record.edited ?? {}).filter(([column]) => !(column in agreed));
  return {
    ...record,
    values: { ...record.values, ...agreed },
    was: { ...record.values, ...record.was, ...agreed },
    edited: edited.length > 0 ? Object.fromEntries(edited) : undefined,
    at: Math.max(now, record.at + 1),
  };
}

/** The cells here with what came back; it takes the place of what a person had put here, which was older. */
function withTaken(
  record: CellRecord | undefined,
  about: {
    readonly plan: string;
    readonly key: string;
    readonly taken: Readonly<Record<string, string>>;
    readonly gives: Readonly<Record<string, CellValue>>;
    readonly writtenAt: number | undefined;
    readonly run: string;
    readonly now: number;
  },
): CellRecord {
  const { plan, key, taken, gives, writtenAt, run, now } = about;
  const made = ruledCells({ plan, key, values: { ...record?.values, ...taken }, before: record, writtenAt, run, now });
  const edited = Object.entries(record?.edited ?? {}).filter(([column]) => !(column in taken));
  const stood = Object.fromEntries(
    Object.keys(taken).map((column) => [column, record?.edited?.[column] ?? record?.values[column] ?? gives[column] ?? ""]),
  );
  return { ...made, was: { ...made.was, ...stood }, edited: edited.length > 0 ? Object.fromEntries(edited) : undefined };
}
