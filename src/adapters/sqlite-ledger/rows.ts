import type Database from "better-sqlite3";
import {
  answerRecord as toAnswer,
  answerRow,
  cellRecord as toCell,
  cellRow,
  type AfterRecord,
  type AnswerRecord,
  type AnswerRow as KeptAnswerRow,
  type CellRecord,
  type CellRow as KeptCellRow,
  type DecisionRecord,
  type Json,
  type NoticeRecord,
  type RunRecord,
} from "../../core/index.js";

/** Fingerprints are bytes here, half as long as their letters. */
export type AnswerRow = Omit<KeptAnswerRow, "fingerprint"> & { readonly fingerprint: Buffer };
export type CellRow = [...Head<KeptCellRow>, Buffer | null, ...Tail<KeptCellRow>];
type Head<T extends unknown[]> = T extends [infer A, infer B, infer C, ...unknown[]] ? [A, B, C] : never;
type Tail<T extends unknown[]> = T extends [unknown, unknown, unknown, unknown, ...infer Rest] ? Rest : never;

export function putAnswer(statement: Database.Statement, record: AnswerRecord): void {
  const { fingerprint, template, version, model, run, at, basis, answer } = answerRow(record);
  statement.run(Buffer.from(fingerprint, "hex"), template, version, model, run, at, record.answer.spent, basis, answer);
}

export function putCell(statement: Database.Statement, place: number, record: CellRecord): void {
  const [key, state, reason, fingerprint, ...rest] = cellRow(record);
  statement.run(
    place,
    key,
    state,
    reason,
    fingerprint === null ? null : Buffer.from(fingerprint, "hex"),
    ...rest,
    record.held?.like ?? null,
  );
}

export const answerRecord = ({ fingerprint, ...row }: AnswerRow): AnswerRecord =>
  toAnswer({ ...row, fingerprint: fingerprint.toString("hex") });

export function cellRecord(plan: string, step: string, row: CellRow): CellRecord {
  const [key, state, reason, fingerprint, ...rest] = row;
  return toCell(plan, step, [key, state, reason, fingerprint?.toString("hex") ?? null, ...rest]);
}

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
