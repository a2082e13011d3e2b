import {
  answerRecord,
  CELL_COLUMNS,
  cellRecord,
  type AfterRecord,
  type AnswerRecord,
  type CellRecord,
  type CellState,
  type DecisionRecord,
  type Json,
  type NoticeRecord,
  type RunRecord,
  type SpendRecord,
  type VersionRecord,
} from "../../core/index.js";
import type { TextRow } from "./store.js";
import { keyOf } from "./texts.js";

export const ANSWER = "encode(fingerprint, 'hex') AS fingerprint, template, version, model, run, at, basis, answer";
export const CELL = CELL_COLUMNS.replace("fingerprint", "encode(fingerprint, 'hex') AS fingerprint");
export const AFTER = "plan, key, rules, at";
export const RUN = "id, kind, subject, started, ended, outcome, tally, cells";
export const VERSION = "template, version, hash, text, at";
export const SUMS =
  'sum(requests) AS requests, sum(tokens_in) AS "tokensIn", sum(tokens_out) AS "tokensOut", sum(spent) AS spent, sum(unsure) AS unsure';
export const CHARGED = (s: string): string =>
  `SELECT coalesce(sum(spent + unsure), 0) AS n FROM ${s}.charges_of WHERE day >= $1 AND ($2::text IS NULL OR run = $2)`;

export const numberOf = (rows: readonly TextRow[]): number => Number(rows[0]!["n"]);
const orNumber = (text: string | null | undefined): number | undefined => (text === null || text === undefined ? undefined : Number(text));

export const answerOf = (row: TextRow): AnswerRecord =>
  answerRecord({
    fingerprint: row["fingerprint"]!,
    template: row["template"]!,
    version: Number(row["version"]),
    model: row["model"]!,
    run: row["run"]!,
    at: Number(row["at"]),
    basis: row["basis"] ?? null,
    answer: row["answer"]!,
  });

export const cellOf = (plan: string, step: string, row: TextRow): CellRecord => {
  const text = (name: string): string | null => row[name] ?? null;
  return cellRecord(plan, step, [
    keyOf(row["key"]!),
    row["state"] as CellState,
    text("reason"),
    text("fingerprint"),
    row["given"]!,
    text("edited"),
    text("was"),
    text("notes"),
    row["run"]!,
    Number(row["at"]),
    text("edited_on"),
    text("past"),
    row["form"] === null ? null : Number(row["form"]),
    text("held"),
    text("marks"),
  ]);
};

export const decisionOf = (row: TextRow): DecisionRecord => {
  const made = JSON.parse(row["decision"]!) as DecisionRecord;
  return (row["undone"] ?? null) === null ? made : { ...made, undone: JSON.parse(row["undone"]!) as DecisionRecord["undone"] };
};

export const afterOf = (row: TextRow): AfterRecord => ({
  plan: row["plan"]!,
  key: keyOf(row["key"]!),
  rules: JSON.parse(row["rules"]!) as AfterRecord["rules"],
  at: Number(row["at"]),
});

/** Under the name that the plan goes by now. */
export const noticeOf = (row: TextRow): NoticeRecord => ({ ...(JSON.parse(row["notice"]!) as NoticeRecord), plan: row["plan"]! });

export const runOf = (row: TextRow): RunRecord => ({
  id: row["id"]!,
  kind: row["kind"] as RunRecord["kind"],
  subject: row["subject"]!,
  startedAt: Number(row["started"]),
  endedAt: orNumber(row["ended"]),
  end: row["outcome"] ?? undefined,
  cells: row["ended"] === null ? undefined : Number(row["cells"]),
  tally: (row["tally"] ?? null) === null ? undefined : (JSON.parse(row["tally"]!) as Json),
});

export const versionOf = (row: TextRow): VersionRecord => ({
  template: row["template"]!,
  version: Number(row["version"]),
  hash: row["hash"]!,
  text: row["text"]!,
  at: Number(row["at"]),
});

export const spendOf = (row: TextRow): SpendRecord => ({
  model: row["model"]!,
  step: row["step"]!,
  requests: Number(row["requests"]),
  tokensIn: Number(row["tokensIn"]),
  tokensOut: Number(row["tokensOut"]),
  spent: Number(row["spent"]),
  unsure: Number(row["unsure"]),
});
