import { valuesGiven, type Answer } from "../answer/index.js";
import { remark, sameRemark, sentenceOf, type Remark, type RemarkCode } from "../ground/index.js";
import type { AskAgain, CellRecord, CellState } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";
import { AFTER_STEP, setFingerprint, type ReadyRule } from "../plan/index.js";
import { heldColumns } from "../review/index.js";
import { placeWords, type Evidence } from "../sources/index.js";
import { CONFIDENCE, type EvidencePath } from "../template/index.js";
import type { Decision } from "./decide.js";
import { editMark } from "./edit-remarks.js";
import { splitHeld, type Proposed } from "./hold-values.js";
import { notesRead, type Passing } from "./passing.js";
import { givesUp, type StepWork, type Target, type Work } from "./setup.js";
import { IN_TIME, settleHeld, type CellVerdict } from "./settle-held.js";
import { isWritten, recordTime, rowMark, stillStanding } from "./writers.js";

/** A step of a row that is being settled, and what was left out of its inputs. */
export interface Asked {
  readonly one: StepWork;
  readonly passed: Passing;
  readonly record: CellRecord | undefined;
  readonly shortened?: Readonly<Record<string, Remark>> | undefined;
  /** What a person said of the answer that was asked again. */
  readonly again?: AskAgain | undefined;
}

type About = Pick<Asked, "one" | "passed" | "record">;

/** What every new record of a row's cells begins with. */
function base(
  work: Work,
  { one, passed, record }: About,
  run: string,
): Pick<CellRecord, "plan" | "step" | "key" | "was" | "edited" | "editedOn" | "past" | "run" | "at"> {
  const edited = keptEdits(work, record);
  const editedOn = edited && (record?.editedOn ?? editMark(one, passed));
  return {
    plan: work.plan.name,
    step: one.name,
    key: passed.row.key,
    was: standingOf(work, record),
    edited,
    editedOn,
    past: record?.past,
    run,
    at: recordTime(work.clock.now(), work.writtenAt),
  };
}

/** The record of a row's cells that got an answer. An answer that failed never takes away a value that stood. */
export function answeredCells(work: Work, asked: Asked, fingerprint: string, answer: Answer, run: string): CellRecord {
  const { one, record, shortened, again } = asked;
  const common = base(work, asked, run);
  if (answer.state === "answered") {
    const notes = notesOf(
      [
        ...notesRead(one, asked.passed),
        ...Object.entries(shortened ?? {}).map(([name, note]) => remark("about", { name, remark: note })),
        ...(again ? [remark("askedAgain", { says: again.says })] : []),
      ],
      answer,
    );
    const asks = one.does.kind === "ask" ? one.does : undefined;
    return {
      ...proposedCells(work, asked, common, {
        values: valuesOf(one, { ...answer, parts: valuesGiven(answer) }),
        parts: valuesGiven(answer),
        unfounded: Object.entries(answer.evidence ?? {}).flatMap(([part, { found }]) => (found === "never" ? [part] : [])),
        confidence: answer.confidence?.value,
        notes: [...(notes ?? []), ...answer.notes].map(({ code }) => code),
        isAgain: again !== undefined,
        version: asks?.version,
        model: asks?.model.id,
      }),
      fingerprint,
      form: answer.form,
      notes,
      ...(again ? { again } : {}),
    };
  }
  // A failure to reach the model is no answer: without a fingerprint, the next run asks again.
  const kept = answer.state === "failed" ? undefined : fingerprint;
  if (record && Object.keys(record.values).length > 0) {
    return {
      ...common,
      state: "stale",
      reason: remark("notRenewed", { because: answer.reason }),
      fingerprint: record.fingerprint,
      values: record.values,
      ...marksOf(record),
    };
  }
  return { ...common, state: answer.state === "declined" ? "skipped" : "failed", reason: answer.reason, fingerprint: kept, values: {} };
}

/** What an answer, or a rule, gives a row: into the table, or held. */
function proposedCells(work: Work, about: About, common: ReturnType<typeof base>, proposed: Proposed): Omit<CellRecord, "fingerprint"> {
  const { values, held } = splitHeld(work, about.one, about.passed, about.record, proposed);
  return {
    ...common,
    past: pastOf(work, about.one, about.record, values),
    ...(held ? { state: "held", reason: remark("held", { rules: Object.keys(held.by) }), held } : { state: "filled" }),
    values,
  };
}

/** The record of a row that a rule settles. */
export function givenCells(work: Work, about: About, rule: ReadyRule, run: string): CellRecord {
  const notes = [remark("ruled", { rule: rule.number }), ...notesRead(about.one, about.passed)];
  const asks = about.one.does.kind === "ask" ? about.one.does : undefined;
  return {
    ...proposedCells(work, about, base(work, about, run), {
      values: valuesOf(about.one, { parts: rule.parts, confidence: { value: 1 } }),
      parts: rule.parts,
      unfounded: [],
      confidence: 1,
      notes: notes.map(({ code }) => code),
      isAgain: false,
      version: asks?.version,
      model: asks?.model.id,
    }),
    fingerprint: rule.fingerprint,
    notes,
  };
}

/** What time, or a release, makes of values that were held. */
export function releasedCells(work: Work, about: About, { how, by }: Extract<Decision, { do: "release" }>, run: string): CellRecord {
  const record = about.record!;
  const held = record.held!;
  const left = new Set(heldColumns(by));
  const days = work.plan.review?.overdue?.afterDays ?? 0;
  const verdicts = Object.keys(held.values)
    .filter((column) => !left.has(column))
    .map((column): CellVerdict => ({ column, how: how === "leaveBlank" ? "reject" : "accept" }));
  const decided = how === "released" ? undefined : { by: IN_TIME, at: work.clock.now() };
  const settled = settleHeld(record, { ...held, by }, verdicts, decided);
  const told = how === "released" ? [] : [remark(how === "accept" ? "overdueAccepted" : "overdueBlank", { days })];
  return {
    ...settled,
    ...base(work, about, run),
    past: pastOf(work, about.one, record, settled.values),
    notes: told.length > 0 ? [...(record.notes ?? []), ...told] : record.notes,
    ...(settled.state === "skipped" && how === "leaveBlank" ? { reason: remark("overdueBlank", { days }) } : {}),
  };
}

/** The record of a row's plain columns. */
export function setCells(work: Work, about: About, values: CellRecord["values"], fingerprint: string, run: string): CellRecord {
  const notes = notesRead(about.one, about.passed);
  return {
    ...base(work, about, run),
    past: pastOf(work, about.one, about.record, values),
    state: "filled",
    fingerprint,
    values,
    notes: notes.length > 0 ? notes : undefined,
  };
}

/** The record of columns that rules set in a row of another table, which is not at hand. */
export function ruledCells(about: {
  readonly plan: string;
  readonly key: string;
  readonly values: CellRecord["values"];
  readonly before: CellRecord | undefined;
  /** When that table was last written. */
  readonly writtenAt: number | undefined;
  readonly run: string;
  readonly now: number;
}): CellRecord {
  const { plan, key, values, before, writtenAt, run, now } = about;
  return {
    plan,
    step: AFTER_STEP,
    key,
    state: "filled",
    fingerprint: setFingerprint(values),
    values,
    was: stillStanding(before, writtenAt),
    edited: before?.edited,
    editedOn: before?.editedOn,
    past: before?.past,
    run,
    at: recordTime(now, writtenAt),
  };
}

/** The record of cells that stand as they should, where something about them is to be kept anew; else `undefined`. */
export function leftCells(work: Work, about: About, state: CellState, run: string): CellRecord | undefined {
  const { one, passed } = about;
  if (!about.record) return undefined;
  const taken = withoutGivenUp(work, one, about.record, run);
  const record = taken ?? about.record;
  const editedOn = record.edited && (record.editedOn ?? editMark(one, passed));
  const marked = editedOn === record.editedOn ? taken : { ...record, editedOn };
  if (state !== "filled") return marked;
  const [before, now] = [oldValues(record.notes), oldValues(notesRead(one, passed))];
  if (record.state === state && before.map(sentenceOf).join() === now.map(sentenceOf).join()) return marked;
  const notes = [...(record.notes ?? []).filter((note) => !before.includes(note)), ...now];
  return {
    ...record,
    editedOn,
    was: taken ? record.was : stillStanding(record, work.writtenAt),
    state,
    reason: undefined,
    notes: notes.length > 0 ? notes : undefined,
  };
}

/** What is told of inputs that are old values. */
const oldValues = (notes: readonly Remark[] = []): Remark[] =>
  notes.filter((note) => note.code === "about" && note.remark.code === "oldValue");

/** Values that stand take the place of a person's that the command gives up; `undefined` where there is none such. */
function withoutGivenUp(work: Work, one: StepWork, record: CellRecord, run: string): CellRecord | undefined {
  const isGivenUp = (column: string): boolean =>
    work.refused.has(column) || (work.overwrite.has(column) && record.values[column] !== undefined);
  if (work.chosenSteps?.has(one.name) === false || !Object.keys(record.edited ?? {}).some(isGivenUp)) return undefined;
  return {
    ...record,
    edited: keptEdits(work, record),
    was: standingOf(work, record),
    run,
    at: recordTime(work.clock.now(), work.writtenAt),
  };
}

/** The record of a row that gets no answer, or `undefined` when it stands so already. */
export function markedCells(work: Work, about: About, state: CellState, reason: Remark, run: string): CellRecord | undefined {
  const { record } = about;
  if (
    record?.state === state &&
    sameRemark(record.reason, reason) &&
    !Object.keys(record.edited ?? {}).some((column) => givesUp(work, column))
  )
    return undefined;
  return {
    ...base(work, about, run),
    ...marksOf(record),
    // What waits itself is not forgotten while it waits for another.
    ...(reason.code === "waitsFor" && record?.held ? { held: record.held } : {}),
    state,
    reason,
    fingerprint: state === "stale" || reason.code === "waitsFor" ? record?.fingerprint : undefined,
    values: record?.values ?? {},
  };
}

/** What people did about a row's cells, which outlives that they get no new value. */
function marksOf(record: CellRecord | undefined): Pick<CellRecord, "decided" | "again" | "letStand"> {
  const { decided, again, letStand } = record ?? {};
  return { ...(decided ? { decided } : {}), ...(again ? { again } : {}), ...(letStand ? { letStand } : {}) };
}

/** A row's cells as somebody decided them: what the table still holds is known to be ours, so that it can be written over. */
export function restandingCells(work: Work, one: StepWork, record: CellRecord, next: CellRecord, run: string): CellRecord {
  const was = stillStanding(record, work.writtenAt);
  const given = Object.entries(record.edited ?? {}).filter(([column]) => next.edited?.[column] === undefined);
  return {
    ...next,
    was: given.length > 0 ? { ...was, ...Object.fromEntries(given) } : was,
    past: pastOf(work, one, record, next.values),
    run,
    at: recordTime(work.clock.now(), work.writtenAt),
  };
}

const MOST_PAST = 6;

/** What the table held after earlier writes, with what it holds now where that is about to change. */
function pastOf(work: Work, one: StepWork, record: CellRecord | undefined, values: CellRecord["values"]): CellRecord["past"] {
  if (!record || !isWritten(record, work.writtenAt) || Object.keys(record.values).length === 0) return record?.past;
  const mark = rowMark(work, one.targets, record);
  if (mark === rowMark(work, one.targets, { ...record, values }) || record.past?.at(-1) === mark) return record.past;
  return [...(record.past ?? []), mark].slice(-MOST_PAST);
}

/** What the table still holds for a row whose record changes: values not written over yet, and edits that the command may write over. */
function standingOf(work: Work, record: CellRecord | undefined): CellRecord["was"] {
  const was = stillStanding(record, work.writtenAt);
  const given = Object.entries(record?.edited ?? {}).filter(([column]) => givesUp(work, column));
  return given.length > 0 ? { ...was, ...Object.fromEntries(given) } : was;
}

/** A person's edits without those that the command named. */
function keptEdits(work: Work, record: CellRecord | undefined): CellRecord["edited"] {
  if (!record?.edited) return undefined;
  const kept = Object.entries(record.edited).filter(([column]) => !givesUp(work, column));
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}

/** Column -> what an answer's parts put into it. */
export function valuesOf({ targets }: Pick<StepWork, "targets">, { parts, confidence, evidence = {} }: Given): Record<string, CellValue> {
  const values: Record<string, CellValue> = {};
  for (const { name, part, evidence: of } of targets)
    values[name] = of
      ? evidenceCell(evidence[of.part], of.piece)
      : part!.name === CONFIDENCE
        ? confidenceCell(confidence?.value)
        : cellValue(part!, parts);
  return values;
}

/** What an answer, or a rule, gives. */
interface Given {
  readonly parts: Readonly<Record<string, unknown>>;
  readonly confidence?: { readonly value: number } | undefined;
  readonly evidence?: Readonly<Record<string, Evidence>> | undefined;
}

function evidenceCell(evidence: Evidence | undefined, piece: EvidencePath): CellValue {
  if (!evidence || evidence.found === "never") return "";
  if (piece === "quote") return evidence.quote;
  return piece === "source" ? (evidence.place.address ?? evidence.place.input) : placeWords(evidence.place);
}

const confidenceCell = (confidence: number | undefined): CellValue =>
  confidence === undefined ? "" : Math.round(confidence * 1000) / 1000;

/** Of how an answer came about, what a person should know who sees the cell. */
const WORTH_TELLING: readonly RemarkCode[] = ["about", "condensed", "unfounded", "inDoubt", "lookedChanged"];

/** What a person should know of how a cell's values came about. */
function notesOf(inputs: readonly Remark[], answer: Answer): readonly Remark[] | undefined {
  const told = answer.notes.filter(({ code }) => WORTH_TELLING.includes(code));
  const all = [...inputs, ...told];
  return all.length > 0 ? all : undefined;
}

function cellValue(part: NonNullable<Target["part"]>, parts: Readonly<Record<string, unknown>>): CellValue {
  // A part inside a record is named by its path.
  const value = part.name.includes(".")
    ? part.name.split(".").reduce<unknown>((outer, name) => (outer as Record<string, unknown> | undefined)?.[name], parts)
    : parts[part.name];
  return typeof value === "number" ? value : part.toCell((value ?? null) as never);
}
