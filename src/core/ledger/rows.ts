import { keptRemark, type Json, type Remark } from "../ground/index.js";
import type { Answer } from "../answer/index.js";
import type { AnswerRecord, CellRecord, CellState } from "./records.js";

/** Records as rows of a database: what is looked for has columns of its own, all else is JSON. */
export interface AnswerRow {
  readonly fingerprint: string;
  readonly template: string;
  readonly version: number;
  readonly model: string;
  readonly run: string;
  readonly at: number;
  readonly basis: string | null;
  readonly answer: string;
}

/** The columns of a cell in the order of `CellRow`: rows as arrays are read faster than as objects. */
export const CELL_COLUMNS = "key, state, reason, fingerprint, given, edited, was, notes, run, at, edited_on, past, form, held, marks";

export type CellRow = [
  key: string,
  state: CellState,
  reason: string | null,
  fingerprint: string | null,
  given: string,
  edited: string | null,
  was: string | null,
  notes: string | null,
  run: string,
  at: number,
  editedOn: string | null,
  past: string | null,
  form: number | null,
  held: string | null,
  marks: string | null,
];

/** What is seldom there, kept together. */
type Marks = Pick<CellRecord, "decided" | "again" | "letStand">;

export function answerRow({ fingerprint, template, version, model, run, at, basis, answer }: AnswerRecord): AnswerRow {
  return { fingerprint, template, version, model, run, at, basis: basis ? JSON.stringify(basis) : null, answer: JSON.stringify(answer) };
}

export function answerRecord({ fingerprint, template, version, model, run, at, basis, answer }: AnswerRow): AnswerRecord {
  return {
    fingerprint,
    template,
    version,
    model,
    run,
    at,
    ...(basis === null ? {} : { basis: JSON.parse(basis) as AnswerRecord["basis"] }),
    answer: keptAnswer(JSON.parse(answer) as KeptAnswer),
  };
}

/** An answer as it is kept; the first versions kept sentences. */
type KeptAnswer = Omit<Answer, "reason" | "notes"> & { readonly reason?: Json; readonly notes: Json[] };

function keptAnswer(kept: KeptAnswer): Answer {
  const isEarlier = typeof kept.reason === "string" || typeof kept.notes[0] === "string";
  const { reason, notes } = kept;
  const answer = isEarlier
    ? { ...kept, notes: notes.map(keptRemark), ...(reason === undefined ? {} : { reason: keptRemark(reason) }) }
    : kept;
  return answer as Answer;
}

const textOf = (value: object | undefined): string | null => (value ? JSON.stringify(value) : null);

export function cellRow({ decided, again, letStand, ...record }: CellRecord): CellRow {
  const marks: Marks = { decided, again, letStand };
  return [
    record.key,
    record.state,
    textOf(record.reason),
    record.fingerprint ?? null,
    JSON.stringify(record.values),
    textOf(record.edited),
    textOf(record.was),
    textOf(record.notes),
    record.run,
    record.at,
    record.editedOn ?? null,
    textOf(record.past),
    record.form ?? null,
    textOf(record.held),
    decided || again || letStand ? JSON.stringify(marks) : null,
  ];
}

/** Why a cell has no value: a remark; the first versions kept a sentence. */
const cellRemark = (kept: string): Remark => (kept.startsWith('{"code":') ? (JSON.parse(kept) as Remark) : keptRemark(kept));

export function cellRecord(
  plan: string,
  step: string,
  [key, state, reason, fingerprint, given, edited, was, notes, run, at, editedOn, past, form, held, marks]: CellRow,
): CellRecord {
  return {
    plan,
    step,
    key,
    state,
    reason: reason === null ? undefined : cellRemark(reason),
    fingerprint: fingerprint ?? undefined,
    values: JSON.parse(given) as CellRecord["values"],
    edited: edited === null ? undefined : (JSON.parse(edited) as CellRecord["edited"]),
    was: was === null ? undefined : (JSON.parse(was) as CellRecord["was"]),
    notes: notes === null ? undefined : (JSON.parse(notes) as Json[]).map(keptRemark),
    editedOn: editedOn ?? undefined,
    past: past === null ? undefined : (JSON.parse(past) as CellRecord["past"]),
    form: form ?? undefined,
    ...(held === null ? {} : { held: JSON.parse(held) as CellRecord["held"] }),
    ...(marks === null ? {} : (JSON.parse(marks) as Marks)),
    run,
    at,
  };
}
