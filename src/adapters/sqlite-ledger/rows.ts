import type Database from "better-sqlite3";
import {
  keptRemark,
  type AfterRecord,
  type Answer,
  type AnswerRecord,
  type CellRecord,
  type CellState,
  type DecisionRecord,
  type Json,
  type NoticeRecord,
  type Remark,
  type RunRecord,
} from "../../core/index.js";

export interface AnswerRow {
  fingerprint: Buffer;
  template: string;
  version: number;
  model: string;
  run: string;
  at: number;
  basis: string | null;
  answer: string;
}

/**
 * The columns of a cell in the order of `CellRow`: rows as arrays are read faster than as objects.
 */
export const CELL_COLUMNS = "key, state, reason, fingerprint, given, edited, was, notes, run, at, edited_on, past, form, held, marks";

export type CellRow = [
  key: string,
  state: CellState,
  reason: string | null,
  fingerprint: Buffer | null,
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

export interface DecisionRow {
  id: number;
  undone: string | null;
  decision: string;
}

export function decisionRecord({ undone, decision }: DecisionRow): DecisionRecord {
  const made = JSON.parse(decision) as DecisionRecord;
  return undone === null ? made : { ...made, undone: JSON.parse(undone) as DecisionRecord["undone"] };
}

export interface RunRow {
  id: string;
  kind: RunRecord["kind"];
  subject: string;
  started: number;
  ended: number | null;
  outcome: string | null;
  tally: string | null;
  cells: number | null;
}

export function putAnswer(
  statement: Database.Statement,
  { fingerprint, template, version, model, run, at, basis, answer }: AnswerRecord,
): void {
  statement.run(
    Buffer.from(fingerprint, "hex"),
    template,
    version,
    model,
    run,
    at,
    answer.spent,
    basis ? JSON.stringify(basis) : null,
    JSON.stringify(answer),
  );
}

export function putCell(
  statement: Database.Statement,
  place: number,
  {
    key,
    state,
    reason,
    fingerprint,
    values,
    edited,
    was,
    notes,
    run,
    at,
    editedOn,
    past,
    form,
    held,
    decided,
    again,
    letStand,
  }: CellRecord,
): void {
  const marks: Marks = { decided, again, letStand };
  statement.run(
    place,
    key,
    state,
    reason ? JSON.stringify(reason) : null,
    fingerprint ? Buffer.from(fingerprint, "hex") : null,
    JSON.stringify(values),
    edited ? JSON.stringify(edited) : null,
    was ? JSON.stringify(was) : null,
    notes ? JSON.stringify(notes) : null,
    run,
    at,
    editedOn ?? null,
    past ? JSON.stringify(past) : null,
    form ?? null,
    held ? JSON.stringify(held) : null,
    decided || again || letStand ? JSON.stringify(marks) : null,
    held?.like ?? null,
  );
}

export function answerRecord({ fingerprint, template, version, model, run, at, basis, answer }: AnswerRow): AnswerRecord {
  return {
    fingerprint: fingerprint.toString("hex"),
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
    fingerprint: fingerprint?.toString("hex"),
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

export function runRecord(row: RunRow): RunRecord {
  return {
    id: row.id,
    kind: row.kind,
    subject: row.subject,
    startedAt: row.started,
    endedAt: row.ended ?? undefined,
    end: row.outcome ?? undefined,
    cells: row.cells ?? undefined,
    tally: row.tally === null ? undefined : (JSON.parse(row.tally) as Json),
  };
}

export interface AfterRow {
  plan: string;
  key: string;
  rules: string;
  at: number;
}

export const afterRecord = ({ plan, key, rules, at }: AfterRow): AfterRecord => ({
  plan,
  key,
  rules: JSON.parse(rules) as AfterRecord["rules"],
  at,
});

export interface NoticeRow {
  plan: string;
  notice: string;
}

/** Under the name that the plan goes by now. */
export const noticeRecord = ({ plan, notice }: NoticeRow): NoticeRecord => ({ ...(JSON.parse(notice) as NoticeRecord), plan });
