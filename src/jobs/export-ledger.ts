import { open } from "node:fs/promises";
import { stringify } from "csv-stringify/sync";
import {
  defangCopied,
  sentenceOf,
  YoroshiError,
  type AfterRecord,
  type AnswerRecord,
  type CellRecord,
  type DecisionRecord,
  type NoticeRecord,
} from "../core/index.js";
import { fileProblem } from "../files/index.js";
import type { Project } from "../project/index.js";

/** What can be taken out of a ledger: `rules` are what rules made of rows, `messages` those that they send. */
export const EXPORTED = ["answers", "cells", "decisions", "rules", "messages"] as const;
export type Exported = (typeof EXPORTED)[number];
type Exportable = AnswerRecord | CellRecord | DecisionRecord | AfterRecord | NoticeRecord;
/** More messages than any project has sent. */
const ALL = 1_000_000_000;

/**
 * Writes all answers, cells, decisions, states of rules or messages of a project's ledger into a file: JSON Lines (`.jsonl`) with every detail, or CSV with
 * one line for each.
 *
 * @param names tell the names of people who decided.
 * @returns how many.
 */
export async function exportLedgerTo(project: Project, what: Exported, file: string, names: boolean): Promise<number> {
  const isCsv = /\.csv$/i.test(file);
  if (!isCsv && !/\.(jsonl|ndjson)$/i.test(file))
    throw new YoroshiError("badOption", { option: file, problem: "the file's ending says in what form: .jsonl or .csv." });
  const handle = await open(file, "wx").catch((error: unknown) => {
    const { code } = error as { code?: string };
    if (code === "EEXIST") throw new YoroshiError("badOption", { option: file, problem: "this file exists. Choose another name." });
    throw new YoroshiError("fileUnwritable", { file, problem: fileProblem(error) }, { cause: error });
  });
  let count = 0;
  try {
    const { columns, line } = FORMS[what];
    if (isCsv) await handle.write(stringify([[...columns]]));
    for await (const found of recordsOf(project, what)) {
      const records = names || what === "answers" ? found : found.map((record) => nameless(record));
      count += records.length;
      await handle.write(
        isCsv
          ? stringify(records.map((record) => line(record as never).map((cell) => (typeof cell === "string" ? defangCopied(cell) : cell))))
          : records.map((record) => `${JSON.stringify(record)}\n`).join(""),
      );
    }
  } catch (error) {
    throw new YoroshiError("fileUnwritable", { file, problem: fileProblem(error) }, { cause: error });
  } finally {
    await handle.close();
  }
  return count;
}

async function* recordsOf(project: Project, what: Exported): AsyncGenerator<readonly Exportable[]> {
  const ledger = project.ledger();
  if (what === "answers") yield* ledger.answers.all();
  else if (what === "cells") yield* ledger.cells.all();
  else
    for (const { name } of await project.listPlans()) {
      if (what === "decisions") yield* ledger.decisions.all(name);
      else if (what === "rules") yield* ledger.afterwards.all(name);
      else yield await ledger.afterwards.notices(name, ALL);
    }
}

/** Members in which people's names stand. */
const NAMES: readonly string[] = ["by"];

/** A record without people's names; `by` of held values tells rules, which stay. */
function nameless<T>(value: T, member = ""): T {
  if (Array.isArray(value)) return value.map((one) => nameless(one)) as T;
  if (value === null || typeof value !== "object") return value;
  const kept = Object.entries(value)
    .filter(([name, inner]) => !(NAMES.includes(name) && typeof inner === "string"))
    .map(([name, inner]) => [name, nameless(inner, name)]);
  const left = Object.fromEntries(kept) as Record<string, unknown>;
  // The remark's sentence would tell that nobody did it.
  return (member === "" && left["code"] === "letStand" ? { ...left, by: "a person" } : left) as T;
}

const ANSWER_COLUMNS = [
  "fingerprint",
  "template",
  "version",
  "model",
  "run",
  "at",
  "state",
  "reason",
  "parts",
  "raw",
  "notes",
  "asks",
  "tokensIn",
  "tokensOut",
  "spentMillionths",
  "tookMs",
  "confidence",
] as const;
const CELL_COLUMNS = ["plan", "step", "key", "state", "reason", "values", "edited", "notes", "fingerprint", "run", "at"] as const;

function answerLine({ fingerprint, template, version, model, run, at, answer }: AnswerRecord): (string | number)[] {
  const { state, reason, parts, raw, notes, asks, usage, spent, tookMs, confidence } = answer;
  return [
    fingerprint,
    template,
    version,
    model,
    run,
    new Date(at).toISOString(),
    state,
    reason ? sentenceOf(reason) : "",
    parts ? JSON.stringify(parts) : "",
    raw,
    notes.map(sentenceOf).join("; "),
    asks,
    usage.tokensIn,
    usage.tokensOut,
    spent,
    tookMs,
    confidence?.value ?? "",
  ];
}

function cellLine({ plan, step, key, state, reason, values, edited, notes = [], fingerprint = "", run, at }: CellRecord): string[] {
  return [
    plan,
    step,
    key,
    state,
    reason ? sentenceOf(reason) : "",
    JSON.stringify(values),
    edited ? JSON.stringify(edited) : "",
    notes.map(sentenceOf).join("; "),
    fingerprint,
    run,
    new Date(at).toISOString(),
  ];
}

const DECISION_COLUMNS = [
  "act",
  "plan",
  "step",
  "key",
  "column",
  "how",
  "value",
  "given",
  "reason",
  "rules",
  "version",
  "model",
  "at",
  "tookMs",
  "blind",
  "undone",
  "by",
] as const;

const decisionLine = (one: DecisionRecord): (string | number)[] => [
  one.act,
  one.plan,
  one.step,
  one.key,
  one.column,
  one.how,
  String(one.value ?? ""),
  String(one.given ?? ""),
  one.reason ?? "",
  (one.rules ?? []).join(", "),
  one.version ?? "",
  one.model ?? "",
  new Date(one.at).toISOString(),
  one.tookMs ?? "",
  one.blind ? "yes" : "",
  one.undone ? new Date(one.undone.at).toISOString() : "",
  one.by ?? "",
];

const RULE_COLUMNS = ["plan", "key", "rules", "at"] as const;
const ruleLine = ({ plan, key, rules, at }: AfterRecord): string[] => [plan, key, JSON.stringify(rules), new Date(at).toISOString()];

const MESSAGE_COLUMNS = ["id", "plan", "rule", "key", "at", "state", "attempts", "triedAt", "problem", "columns"] as const;
const messageLine = (one: NoticeRecord): (string | number)[] => [
  one.id,
  one.plan,
  one.rule,
  one.key,
  new Date(one.at).toISOString(),
  one.state,
  one.attempts,
  one.triedAt === undefined ? "" : new Date(one.triedAt).toISOString(),
  one.problem ?? "",
  JSON.stringify(one.columns),
];

/** What is written for each, as CSV. */
const FORMS = {
  answers: { columns: ANSWER_COLUMNS, line: answerLine },
  cells: { columns: CELL_COLUMNS, line: cellLine },
  decisions: { columns: DECISION_COLUMNS, line: decisionLine },
  rules: { columns: RULE_COLUMNS, line: ruleLine },
  messages: { columns: MESSAGE_COLUMNS, line: messageLine },
} as const;
