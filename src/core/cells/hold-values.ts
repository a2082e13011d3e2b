import { canonicalJson, plainJson, quickHash, type Json } from "../ground/index.js";
import type { CellRecord, CellState, HeldCells } from "../ledger/index.js";
import { ownerOf } from "../plan/index.js";
import { heldBy, heldColumns, isForCheck, type HeldBy } from "../review/index.js";
import { shownCell, type CellValue } from "../table/index.js";
import { editMark } from "./edit-remarks.js";
import { isRows, rowFor, typed, type Passing } from "./passing.js";
import type { StepWork, Work } from "./setup.js";

/** What an answer gives a row, before anybody has said that it may go into the table. */
export interface Proposed {
  readonly values: Readonly<Record<string, CellValue>>;
  readonly parts: Readonly<Record<string, Json>>;
  /** The parts for which no words were found that carry them: they go nowhere but before a person. */
  readonly unfounded: readonly string[];
  readonly confidence: number | undefined;
  readonly notes: readonly string[];
  /** A person had it asked again. */
  readonly isAgain: boolean;
  readonly version: number | undefined;
  readonly model: string | undefined;
}

/** Splits what an answer gives into what goes into the table and what is held for a decision; `held` is left out where nothing is. */
export function splitHeld(
  work: Work,
  one: StepWork,
  passed: Passing,
  record: CellRecord | undefined,
  proposed: Proposed,
): { readonly values: CellRecord["values"]; readonly held?: HeldCells } {
  const by = holdsOf(work, one, passed, record, proposed);
  const columns = heldColumns(by);
  const founded = withoutUnfounded(one, proposed);
  if (columns.length === 0) return { values: founded };
  const held = Object.fromEntries(columns.map((column) => [column, proposed.values[column]!]));
  const values: Record<string, CellValue> = {};
  for (const [column, value] of Object.entries(founded)) {
    // The earlier value stands.
    const stands = column in held ? record?.values[column] : value;
    if (stands !== undefined) values[column] = stands;
  }
  return {
    values,
    held: {
      values: held,
      by,
      since: work.clock.now(),
      version: proposed.version,
      model: proposed.model,
      row: shownRow(one, passed),
      place: passed.row.place,
      on: editMark(one, passed),
      like: isForCheck(by) ? "" : likeness(one, held),
    },
  };
}

/** What goes into columns that nothing holds: blank, where no words carry a part. */
function withoutUnfounded({ targets }: StepWork, { values, unfounded }: Proposed): Proposed["values"] {
  if (unfounded.length === 0) return values;
  const blank = targets.filter(({ part }) => part !== undefined && unfounded.includes(part.name.split(".")[0]!));
  return { ...values, ...Object.fromEntries(blank.map(({ name }) => [name, ""])) };
}

/** Which rules hold which columns of what an answer gives. A person's own value is not held against: it stands anyway. */
function holdsOf(work: Work, one: StepWork, passed: Passing, record: CellRecord | undefined, proposed: Proposed): HeldBy {
  const all = Object.keys(proposed.values);
  const edited = all.filter((column) => record?.edited?.[column] !== undefined);
  const returns = edited.filter((column) => ownerOf(work.plan, column) === "untilChanged");
  const before = all.filter((column) => record?.decided?.[column]?.how === "edit");
  const given: Record<string, unknown> = {};
  for (const target of one.targets) given[target.name] = typed(target, proposed.values[target.name]);
  const { parts, confidence, notes } = proposed;
  const said = one.holds.length > 0 ? heldBy(one.holds, { row: { ...rowFor(passed), ...given }, parts, confidence, notes }) : {};
  const by: Record<string, readonly string[]> = {
    ...said,
    ...(proposed.isAgain ? { askedAgain: all } : {}),
    ...(before.length > 0 ? { decidedBefore: before } : {}),
    ...(one.unreleased.length > 0 ? { release: one.unreleased } : {}),
  };
  const held: Record<string, readonly string[]> = {};
  for (const [rule, columns] of Object.entries(by)) {
    const own = columns.filter((column) => !edited.includes(column));
    if (own.length > 0) held[rule] = own;
  }
  return returns.length > 0 ? { ...held, edited: returns } : held;
}

/** Values of one step that say the same; free words differ in each row, so they count only where there is nothing else. */
function likeness({ targets }: StepWork, held: HeldCells["values"]): string {
  const own = targets.filter(({ name }) => name in held);
  const verdicts = own.filter(({ freeText }) => !freeText);
  const shown = (verdicts.length > 0 ? verdicts : own).map(({ name }) => [name, held[name]!]);
  return quickHash(canonicalJson(plainJson(shown)));
}

const MOST_CHARS = 2_000;
const MOST_READ_CHARS = 8_000;

/** Related rows, or figures of them, in words. */
const relatedText = (found: Passing["related"][string]): string =>
  isRows(found)
    ? found.map((one) => Object.values(one).join(" · ")).join("\n")
    : Object.entries(found)
        .map(([name, value]) => `${name} ${shownCell(value)}`)
        .join(" · ");

/** The row as a person sees it beside the value: what the step reads first; long texts are cut. */
export function shownRow({ reads, targets }: StepWork, { row, related, given }: Passing): Record<string, string> {
  const own = new Set(targets.map(({ name }) => name));
  const shown: Record<string, string> = {};
  const put = (column: string, text: string, most: number): void => {
    if (text !== "") shown[column] = text.length > most ? `${text.slice(0, most)}…` : text;
  };
  for (const column of reads) {
    const found = related[column];
    if (found !== undefined) put(column, relatedText(found), MOST_READ_CHARS);
    else put(column, String(given[column] ?? row.values[column] ?? ""), MOST_READ_CHARS);
  }
  for (const [column, text] of Object.entries({ ...row.values, ...given }))
    if (!own.has(column) && !(column in shown)) put(column, String(text), MOST_CHARS);
  return shown;
}

/** How one column of a row's cells stands. */
export function columnState(record: CellRecord | undefined, column: string): CellState {
  if (record?.edited?.[column] !== undefined && record.held?.values[column] === undefined) return "edited";
  if (record?.held) return record.held.values[column] === undefined ? "filled" : "held";
  if (record?.decided?.[column]?.how === "reject" && record.values[column] === undefined) return "skipped";
  // A value that a person gave in a review is theirs like one that they typed into the table.
  if (record?.state === "filled" && record.decided?.[column]?.how === "edit") return "edited";
  return record?.state ?? "blank";
}
