import type { Answer } from "../answer/index.js";
import type { CellRecord, CellState, CellValue } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import { CONFIDENCE } from "../template/index.js";
import type { ReadyRule } from "./clear.js";
import type { Target, Work } from "./setup.js";
import { stillStanding } from "./writers.js";

/** A row that asks, and what was left out of its inputs. */
export interface Asked {
  readonly row: Row;
  readonly record: CellRecord | undefined;
  readonly shortened?: Readonly<Record<string, string>> | undefined;
}

/** The record of a row's cells that got an answer. An answer that failed never takes away a value that stood. */
export function answeredCells(work: Work, { row, record, shortened }: Asked, fingerprint: string, answer: Answer, run: string): CellRecord {
  const edited = keptEdits(work, record);
  const base = { plan: work.plan.name, step: work.stepName, key: row.key, was: standingOf(work, record), edited, run, at: work.clock.now() };
  if (answer.state === "answered") {
    return { ...base, state: "filled", fingerprint, notes: notesOf(shortened, answer), values: valuesOf(work, answer.parts, answer.confidence?.value) };
  }
  // A failure to reach the model is no answer: without a fingerprint, the next run asks again.
  const kept = answer.state === "failed" ? undefined : fingerprint;
  if (record && Object.keys(record.values).length > 0) {
    return { ...base, state: "stale", reason: `not renewed: ${answer.reason}`, fingerprint: record.fingerprint, values: record.values };
  }
  return { ...base, state: answer.state === "declined" ? "skipped" : "failed", reason: answer.reason, fingerprint: kept, values: {} };
}

/** The record of a row that a rule settles. */
export function givenCells(work: Work, row: Row, record: CellRecord | undefined, rule: ReadyRule, run: string): CellRecord {
  const { plan, stepName, clock } = work;
  return { plan: plan.name, step: stepName, key: row.key, state: "filled", fingerprint: rule.fingerprint, notes: [`settled by rule ${rule.number}`], values: valuesOf(work, rule.parts, 1), was: standingOf(work, record), edited: keptEdits(work, record), run, at: clock.now() };
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
    was: standingOf(work, record),
    edited: keptEdits(work, record),
    run,
    at: work.clock.now(),
  };
}

/** What the table still holds for a row whose record changes: values not written over yet, and edits that the command may write over. */
function standingOf(work: Work, record: CellRecord | undefined): CellRecord["was"] {
  const was = stillStanding(record, work.writtenAt);
  const given = Object.entries(record?.edited ?? {}).filter(([column]) => work.overwrite.has(column));
  return given.length > 0 ? { ...was, ...Object.fromEntries(given) } : was;
}

/** A person's edits without those that the command named. */
export function keptEdits(work: Work, record: CellRecord | undefined): CellRecord["edited"] {
  if (!record?.edited) return undefined;
  const kept = Object.entries(record.edited).filter(([column]) => !work.overwrite.has(column));
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}

function valuesOf(work: Work, parts: Readonly<Record<string, unknown>>, confidence: number | undefined): Record<string, CellValue> {
  return Object.fromEntries(work.targets.map((target) => [target.column, target.part.name === CONFIDENCE ? confidenceCell(confidence) : cellValue(target, parts)]));
}

const confidenceCell = (confidence: number | undefined): CellValue => (confidence === undefined ? "" : Math.round(confidence * 1000) / 1000);

/** What a person should know of how a cell's values came about. */
function notesOf(shortened: Asked["shortened"], answer: Answer): readonly string[] | undefined {
  if (!shortened && answer.notes.length === 0) return undefined;
  const told = answer.notes.filter((note) => / condensed from |^in doubt|^the second look changed/.test(note));
  const all = [...Object.entries(shortened ?? {}).map(([input, note]) => `${input}: ${note}`), ...told];
  return all.length > 0 ? all : undefined;
}

function cellValue({ part }: Target, parts: Readonly<Record<string, unknown>>): CellValue {
  // A part inside a record is named by its path.
  const value = part.name.split(".").reduce<unknown>((outer, name) => (outer as Record<string, unknown> | undefined)?.[name], parts);
  return typeof value === "number" ? value : part.toCell((value ?? null) as never);
}
