import { remark, type Remark } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import { shownCell, type FoundRows, type RelatedRow, type Row, type CellValue } from "../table/index.js";
import type { Finds } from "../template/index.js";
import type { StepWork, Target } from "./setup.js";

/** What the plan's `related` found for a row, by name. */
export type RelatedRows = Readonly<Record<string, FoundRows>>;

/** A row on its way through the steps of a plan. */
export interface Passing {
  readonly row: Row;
  readonly related: Readonly<Record<string, readonly RelatedRow[] | Readonly<Record<string, CellValue>>>>;
  /** What a person should know of what stands in a column, or among related rows: by that name. */
  readonly notes: Record<string, Remark>;
  /** What earlier steps gave it, by column, as conditions see it: numbers and true or false typed, all else text. */
  readonly given: Record<string, string | number | boolean>;
  /** Columns of earlier steps whose values wait for a decision, where later steps wait for that. */
  waitsFor: readonly string[];
  /** The rules of the plan that hold for it, where steps are done by rules. */
  due: readonly string[];
  /** What was found of the sources that it names. */
  found?: Finds | undefined;
  /** The plan's `freeze` holds: no step touches it. */
  isFrozen?: boolean | undefined;
}

/** Where a row is on its way: the steps that are still to be done for it. */
export interface RowState {
  readonly passed: Passing;
  readonly todo: Set<string>;
  /** A model is or was asked about it in this run. */
  started: boolean;
}

const NONE: readonly string[] = [];

export function passing(row: Row, related: RelatedRows): Passing {
  const notes: Record<string, Remark> = { ...row.notes };
  const rows: Record<string, Passing["related"][string]> = {};
  for (const [name, found] of Object.entries(related)) {
    rows[name] = found.figures ?? found.rows;
    if (found.problem !== undefined) notes[name] = remark("told", { text: found.problem });
    if (found.left > 0) notes[name] = remark("relatedLeft", { kept: found.rows.length, of: found.rows.length + found.left });
  }
  return { row, related: rows, notes, given: {}, waitsFor: NONE, due: NONE };
}

/** What is told of a value that stays since its renewal failed, to those that read it. */
const OLD_VALUE = remark("oldValue");

/** What a condition or a plain column is evaluated on. What a step gives hides what the table still holds in its column. */
export const rowFor = ({ row, related, given }: Passing): Readonly<Record<string, unknown>> => ({ ...row.values, ...related, ...given });

/** What stands in a row for each input; related rows as the JSON that the kind `rows` reads. */
export function inputsFor(from: Readonly<Record<string, string>>, { row, related, given }: Passing): Record<string, string | undefined> {
  const cells: Record<string, string | undefined> = {};
  for (const input in from) {
    const column = from[input]!;
    const found = related[column];
    const own = given[column];
    cells[input] =
      found !== undefined
        ? isRows(found) && found.length === 0
          ? ""
          : JSON.stringify(found)
        : own === undefined
          ? row.values[column]
          : shownCell(own);
  }
  return cells;
}

/** Whether related rows, rather than figures of them, are there. */
export const isRows = (found: Passing["related"][string]): found is readonly RelatedRow[] => Array.isArray(found);

/** Hands on what a step's cells hold for a row: a person's value, else the step's own, else nothing. */
export function handOn(passed: Passing, { targets, holdsBack, does }: StepWork, record: CellRecord | undefined): void {
  const isOld = record?.state === "stale" && record.reason?.code === "notRenewed";
  for (const target of targets) {
    const edited = record?.edited?.[target.name];
    // What no rule has set stands as it does in the table.
    if (does.kind === "ruled" && (edited ?? record?.values[target.name]) === undefined) continue;
    const held = edited === undefined ? record?.held?.values[target.name] : undefined;
    if (held !== undefined && holdsBack) passed.waitsFor = [...passed.waitsFor, target.name];
    if (isOld && edited === undefined) passed.notes[target.name] = OLD_VALUE;
    else if (passed.notes[target.name]?.code === "oldValue") delete passed.notes[target.name];
    passed.given[target.name] =
      edited === undefined
        ? typed(target, holdsBack ? record?.values[target.name] : (held ?? record?.values[target.name]))
        : typed(target, edited);
  }
}

export function typed({ type }: Pick<Target, "type">, value: CellValue | undefined): string | number | boolean {
  if (value === undefined) return "";
  if (type === "yesNo" && typeof value === "string")
    return /^(yes|true)$/i.test(value) ? true : /^(no|false)$/i.test(value) ? false : value;
  if (
    (type === "integer" || type === "decimal" || type === "number") &&
    typeof value === "string" &&
    value.trim() !== "" &&
    Number.isFinite(Number(value))
  )
    return Number(value);
  return value;
}

/** What a person should know of what a step reads in a row, each with the name it goes by there. */
export function notesRead({ reads }: StepWork, { notes }: Passing): Remark[] {
  const told: Remark[] = [];
  for (const name in notes) if (reads.includes(name)) told.push(remark("about", { name, remark: notes[name]! }));
  return told;
}
