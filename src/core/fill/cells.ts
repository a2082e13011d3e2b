import type { Answer } from "../answer/index.js";
import type { CellRecord, CellState, CellValue } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import type { Target, Work } from "./setup.js";

/** The record of a row's cells that got an answer. An answer that failed never takes away a value that stood. */
export function answeredCells(work: Work, row: Row, record: CellRecord | undefined, fingerprint: string, answer: Answer, run: string): CellRecord {
  const edited = keptEdits(work, record);
  const base = { plan: work.plan.name, step: work.stepName, key: row.key, edited, run, at: work.clock.now() };
  if (answer.state === "answered") {
    return { ...base, state: "filled", fingerprint, values: Object.fromEntries(work.targets.map((target) => [target.column, cellValue(target, answer.parts)])) };
  }
  // A failure to reach the model is no answer: without a fingerprint, the next run asks again.
  const kept = answer.state === "failed" ? undefined : fingerprint;
  if (record && Object.keys(record.values).length > 0) {
    return { ...base, state: "stale", reason: `not renewed: ${answer.reason}`, fingerprint: record.fingerprint, values: record.values };
  }
  return { ...base, state: answer.state === "declined" ? "skipped" : "failed", reason: answer.reason, fingerprint: kept, values: {} };
}

/** The record of a row that gets no answer, or `undefined` when it stands so already. */
export function markedCells(work: Work, row: Row, record: CellRecord | undefined, state: CellState, reason: string, run: string): CellRecord | undefined {
  if (record?.state === state && record.reason === reason) return undefined;
  return {
    plan: work.plan.name,
    step: work.stepName,
    key: row.key,
    state,
    reason,
    fingerprint: state === "stale" ? record?.fingerprint : undefined,
    values: record?.values ?? {},
    edited: keptEdits(work, record),
    run,
    at: work.clock.now(),
  };
}

/** A person's edits without those that the command named. */
export function keptEdits(work: Work, record: CellRecord | undefined): CellRecord["edited"] {
  if (!record?.edited) return undefined;
  const kept = Object.entries(record.edited).filter(([column]) => !work.overwrite.has(column));
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}

function cellValue({ part }: Target, parts: Readonly<Record<string, unknown>>): CellValue {
  // A part inside a record is named by its path.
  const value = part.name.split(".").reduce<unknown>((outer, name) => (outer as Record<string, unknown> | undefined)?.[name], parts);
  return typeof value === "number" ? value : part.toCell(value as never);
}
