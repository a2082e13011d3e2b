import { YoroshiError } from "../ground/index.js";
import { restandingCells, valuesOf, type FillSetup, type StepWork, type Work } from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import type { CellRecord, DecidedCell, DecisionRecord } from "../ledger/index.js";
import { judgedMark } from "../review/index.js";
import type { CellValue } from "../table/index.js";
import { cellOf, decideRow, decidingWork, judgedValue, newAct, withRow } from "./decide-row.js";

/** What a person puts into a cell. */
export interface CellChange {
  readonly key: string;
  readonly column: string;
  /** As a cell has it; of the column's kind. "" leaves the cell blank until the row changes. */
  readonly value: string;
  readonly by: string;
  readonly reason?: string | undefined;
}

/** What became of it. */
export interface CellChanged {
  readonly act: string;
  readonly step: string;
  readonly is: "decided" | "open" | "disputed";
}

/**
 * Puts a person's value into a cell, whether it was answered, waits, or is empty. It is theirs from then on: no fill writes over it unless
 * that is said. The table is written later, from the ledger.
 *
 * @throws YoroshiError `notFound` for a column that the plan does not fill, `decisionUnfit` for a value that is none of its kind, `rowBusy`.
 */
export async function changeCell(setup: FillSetup, { key, column, value, by, reason }: CellChange): Promise<CellChanged> {
  const work = await decidingWork(setup);
  const one = stepOfColumn(work, column);
  const text = value.trim();
  const record = (await work.ledger.cells.find(work.plan.name, one.name, [key])).get(key);
  if (record && judgedValue(record, column) !== undefined) {
    const what = text === "" ? ({ how: "reject", reason } as const) : ({ how: "edit", value: text, reason } as const);
    const decided = await decideRow(setup, { step: one.name, key, columns: { [column]: what }, by });
    return { act: decided.act, step: one.name, is: decided.columns[column] as CellChanged["is"] };
  }
  const edit = { column, text, by, reason };
  return withRow(work, one.name, key, (_, now) => keepEdit(work, one, now, edit), blankOf(work, one, key));
}

/** The step that fills a column. @throws YoroshiError `notFound`. */
export function stepOfColumn({ steps }: Work, column: string): StepWork {
  const found = steps.find(({ targets }) => targets.some(({ name }) => name === column));
  if (!found)
    throw new YoroshiError("notFound", {
      what: "column that the plan fills, named",
      name: column,
      known: steps.flatMap(({ targets }) => targets.map(({ name }) => name)),
    });
  return found;
}

const blankOf = ({ plan, clock }: Work, { name }: StepWork, key: string): CellRecord => ({
  plan: plan.name,
  step: name,
  key,
  state: "blank",
  values: {},
  run: "review",
  at: clock.now(),
});

interface Edit {
  readonly column: string;
  readonly text: string;
  readonly by: string;
  readonly reason: string | undefined;
}

/** A value where no answer stands: it is kept as an edit of the table would be. */
async function keepEdit(work: Work, one: StepWork, record: CellRecord, { column, text, by, reason }: Edit): Promise<CellChanged> {
  const given = text === "" ? undefined : cellOf(one, record.key, column, text);
  const { [column]: before, ...others } = record.edited ?? {};
  const edited = given === undefined ? others : { ...others, [column]: String(given) };
  const act = newAct(work.clock);
  const decision: DecisionRecord = {
    act,
    plan: work.plan.name,
    step: one.name,
    key: record.key,
    column,
    how: given === undefined ? "setBack" : "edit",
    judged: judgedMark("", column, undefined),
    ...(given === undefined ? {} : { given }),
    ...(before === undefined ? {} : { stood: before }),
    ...(reason ? { reason } : {}),
    by,
    at: work.clock.now(),
  };
  const next: CellRecord = { ...record, edited: Object.keys(edited).length > 0 ? edited : undefined, editedOn: undefined };
  await work.ledger.record({ decisions: [decision], cells: [restandingCells(work, one, record, next, "review")] });
  await forgetSettled(work);
  return { act, step: one.name, is: "decided" };
}

/**
 * Puts the model's value back where a person's stands, or where they rejected it.
 *
 * @throws YoroshiError `nothingToDecide` where the model gave none, or nobody has changed it; `notFound`, `rowBusy`.
 */
export async function restoreCell(
  setup: FillSetup,
  { key, column, by }: Omit<CellChange, "value">,
): Promise<{ readonly act: string; readonly step: string; readonly value: CellValue }> {
  const work = await decidingWork(setup);
  const one = stepOfColumn(work, column);
  const waits = (await work.ledger.cells.find(work.plan.name, one.name, [key])).get(key)?.held?.values[column];
  if (waits !== undefined) {
    // A newer value of the model's waits beside the person's.
    const { act } = await decideRow(setup, { step: one.name, key, columns: { [column]: { how: "accept" } }, by });
    return { act, step: one.name, value: waits };
  }
  return withRow(work, one.name, key, async (_, record) => {
    const value = await modelValue(work, one, record, column);
    const stood = record.edited?.[column] ?? record.values[column];
    if (value === undefined || (record.edited?.[column] === undefined && record.decided?.[column] === undefined))
      throw new YoroshiError("nothingToDecide", { plan: work.plan.name, key, column });
    const act = newAct(work.clock);
    const decided = without(record.decided, column);
    const edited = without(record.edited, column);
    const next: CellRecord = { ...record, values: { ...record.values, [column]: value }, decided, edited };
    const settled = next.held ? next : { ...next, state: "filled" as const, reason: undefined };
    const decision: DecisionRecord = {
      act,
      plan: work.plan.name,
      step: one.name,
      key,
      column,
      how: "setBack",
      judged: judgedMark(record.fingerprint ?? "", column, value),
      value,
      ...(stood === undefined ? {} : { stood }),
      by,
      at: work.clock.now(),
    };
    await work.ledger.record({ decisions: [decision], cells: [restandingCells(work, one, record, settled, "review")] });
    await forgetSettled(work);
    return { act, step: one.name, value };
  });
}

/** What the model, or a rule, gave a column by the answer that the row's cells rest on. */
async function modelValue({ ledger }: Work, one: StepWork, record: CellRecord, column: string): Promise<CellValue | undefined> {
  if (record.fingerprint === undefined || one.does.kind !== "ask") return undefined;
  const rule = one.does.rules.find(({ fingerprint }) => fingerprint === record.fingerprint);
  if (rule) return valuesOf(one, { parts: rule.parts, confidence: { value: 1 } })[column];
  const [found] = await ledger.answers.find([record.fingerprint]);
  return found?.answer.state === "answered" ? valuesOf(one, found.answer)[column] : undefined;
}

function without<T extends string | DecidedCell>(
  all: Readonly<Record<string, T>> | undefined,
  column: string,
): Record<string, T> | undefined {
  const { [column]: _, ...others } = all ?? {};
  return Object.keys(others).length > 0 ? others : undefined;
}
