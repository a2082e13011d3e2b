import type { Answer } from "../answer/index.js";
import type { CellRecord, CellState, CellValue } from "../ledger/index.js";
import { CONFIDENCE } from "../template/index.js";
import type { ReadyRule } from "./clear.js";
import type { Passing } from "./passing.js";
import type { StepWork, Target, Work } from "./setup.js";
import { recordTime, stillStanding } from "./writers.js";

/** A step of a row that is being settled, and what was left out of its inputs. */
export interface Asked {
  readonly one: StepWork;
  readonly passed: Passing;
  readonly record: CellRecord | undefined;
  readonly shortened?: Readonly<Record<string, string>> | undefined;
}

/** How the reason begins of a value that stays because its renewal failed. */
export const NOT_RENEWED = "not renewed";

type About = Pick<Asked, "one" | "passed" | "record">;

/** What every new record of a row's cells begins with. */
function base(work: Work, { one, passed, record }: About, run: string): Pick<CellRecord, "plan" | "step" | "key" | "was" | "edited" | "run" | "at"> {
  return { plan: work.plan.name, step: one.name, key: passed.row.key, was: standingOf(work, record), edited: keptEdits(work, record), run, at: recordTime(work.clock.now(), work.writtenAt) };
}

/** The record of a row's cells that got an answer. An answer that failed never takes away a value that stood. */
export function answeredCells(work: Work, asked: Asked, fingerprint: string, answer: Answer, run: string): CellRecord {
  const { one, record, shortened } = asked;
  const common = base(work, asked, run);
  if (answer.state === "answered") {
    return { ...common, state: "filled", fingerprint, notes: notesOf(shortened, answer), values: valuesOf(one, answer.parts, answer.confidence?.value) };
  }
  // A failure to reach the model is no answer: without a fingerprint, the next run asks again.
  const kept = answer.state === "failed" ? undefined : fingerprint;
  if (record && Object.keys(record.values).length > 0) {
    return { ...common, state: "stale", reason: `${NOT_RENEWED}: ${answer.reason}`, fingerprint: record.fingerprint, values: record.values };
  }
  return { ...common, state: answer.state === "declined" ? "skipped" : "failed", reason: answer.reason, fingerprint: kept, values: {} };
}

/** The record of a row that a rule settles. */
export function givenCells(work: Work, about: About, rule: ReadyRule, run: string): CellRecord {
  return { ...base(work, about, run), state: "filled", fingerprint: rule.fingerprint, notes: [`settled by rule ${rule.number}`], values: valuesOf(about.one, rule.parts, 1) };
}

/** The record of a row's plain columns. */
export function setCells(work: Work, about: About, values: CellRecord["values"], fingerprint: string, run: string): CellRecord {
  return { ...base(work, about, run), state: "filled", fingerprint, values };
}

/** The record of a row that gets no answer, or `undefined` when it stands so already. */
export function markedCells(work: Work, about: About, state: CellState, reason: string, run: string): CellRecord | undefined {
  const { record } = about;
  if (record?.state === state && record.reason === reason) return undefined;
  return { ...base(work, about, run), state, reason, fingerprint: state === "stale" ? record?.fingerprint : undefined, values: record?.values ?? {} };
}

/** What the table still holds for a row whose record changes: values not written over yet, and edits that the command may write over. */
function standingOf(work: Work, record: CellRecord | undefined): CellRecord["was"] {
  const was = stillStanding(record, work.writtenAt);
  const given = Object.entries(record?.edited ?? {}).filter(([column]) => work.overwrite.has(column));
  return given.length > 0 ? { ...was, ...Object.fromEntries(given) } : was;
}

/** A person's edits without those that the command named. */
function keptEdits(work: Work, record: CellRecord | undefined): CellRecord["edited"] {
  if (!record?.edited) return undefined;
  const kept = Object.entries(record.edited).filter(([column]) => !work.overwrite.has(column));
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}

function valuesOf({ targets }: StepWork, parts: Readonly<Record<string, unknown>>, confidence: number | undefined): Record<string, CellValue> {
  const values: Record<string, CellValue> = {};
  for (const { name, part } of targets) values[name] = part!.name === CONFIDENCE ? confidenceCell(confidence) : cellValue(part!, parts);
  return values;
}

const confidenceCell = (confidence: number | undefined): CellValue => (confidence === undefined ? "" : Math.round(confidence * 1000) / 1000);

/** What a person should know of how a cell's values came about. */
function notesOf(shortened: Asked["shortened"], answer: Answer): readonly string[] | undefined {
  if (!shortened && answer.notes.length === 0) return undefined;
  const told = answer.notes.filter((note) => / condensed from |^in doubt|^the second look changed/.test(note));
  const all = [...Object.entries(shortened ?? {}).map(([input, note]) => `${input}: ${note}`), ...told];
  return all.length > 0 ? all : undefined;
}

function cellValue(part: NonNullable<Target["part"]>, parts: Readonly<Record<string, unknown>>): CellValue {
  // A part inside a record is named by its path.
  const value = part.name.includes(".") ? part.name.split(".").reduce<unknown>((outer, name) => (outer as Record<string, unknown> | undefined)?.[name], parts) : parts[part.name];
  return typeof value === "number" ? value : part.toCell((value ?? null) as never);
}
