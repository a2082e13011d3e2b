import { open } from "node:fs/promises";
import { stringify } from "csv-stringify/sync";
import { defangCopied, sentenceOf, YoroshiError, type AnswerRecord, type CellRecord } from "../core/index.js";
import { fileProblem } from "../files/index.js";
import type { Project } from "../project/index.js";

export type Exported = "answers" | "cells";

/**
 * Writes all answers, or all cells, of a project's ledger into a file: JSON Lines (`.jsonl`) with every detail, or CSV with
 * one line for each.
 *
 * @returns how many.
 */
export async function exportLedgerTo(project: Project, what: Exported, file: string): Promise<number> {
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
    if (isCsv) await handle.write(stringify([[...(what === "answers" ? ANSWER_COLUMNS : CELL_COLUMNS)]]));
    const ledger = project.ledger();
    for await (const records of what === "answers" ? ledger.answers.all() : ledger.cells.all()) {
      count += records.length;
      await handle.write(
        isCsv
          ? stringify(
              records.map((record) =>
                (what === "answers" ? answerLine(record as AnswerRecord) : cellLine(record as CellRecord)).map((cell) =>
                  typeof cell === "string" ? defangCopied(cell) : cell,
                ),
              ),
            )
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
