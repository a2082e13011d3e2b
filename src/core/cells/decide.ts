import { remark, sha256Hex, type Json, type Remark } from "../ground/index.js";
import type { AskAgain, CellRecord, CellState, HeldCells } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";
import { HOLDS, ownerOf, type Plan, type ReadyRule, setFingerprint } from "../plan/index.js";
import { heldColumns, stillUnreleased, type HeldBy, type Release } from "../review/index.js";
import { readInputs, type FoundSources, type InputReading, type NamedSource } from "../template/index.js";
import { inputsFor, rowFor, type Passing } from "./passing.js";
import { hasChangedSince } from "./edit-remarks.js";
import { givesUp, type AskWork, type SetWork, type StepWork, type Work } from "./setup.js";

/** What is to be done about one row's cells of one step. */
export type Decision =
  /** They stand as they should. */
  | { readonly do: "leave"; readonly state: CellState; readonly reason?: Remark | undefined }
  /** They get no answer, and this is why. */
  | { readonly do: "mark"; readonly state: CellState; readonly reason: Remark }
  /** They need the answer of this fingerprint; `fresh` asks even where the ledger has one. */
  | {
      readonly do: "answer";
      readonly fingerprint: string;
      readonly inputs: Readonly<Record<string, Json>>;
      readonly fresh: boolean;
      readonly was: "blank" | "stale" | "failed";
      /** What a person said of the answer that is asked for again. */
      readonly again?: AskAgain | undefined;
      readonly shortened?: Readonly<Record<string, Remark>> | undefined;
      /** What would have to be fetched first, in a preview. */
      readonly wants?: readonly NamedSource[] | undefined;
    }
  /** What was held of them goes into the table, or is left blank; `by` is what holds the rest. */
  | { readonly do: "release"; readonly how: "accept" | "leaveBlank" | "released"; readonly by: HeldBy }
  /** A rule settles them. */
  | { readonly do: "give"; readonly rule: ReadyRule }
  /** They are plain columns with these values. */
  | { readonly do: "set"; readonly values: Readonly<Record<string, CellValue>>; readonly fingerprint: string };

/** What a row names is to be found before anything can be decided. */
export interface Needs {
  readonly do: "find";
  readonly sources: readonly NamedSource[];
}

/** Decides from the row and what the ledger knows of it, without asking or changing anything. */
export function decide(
  work: Work,
  one: StepWork,
  passed: Passing,
  record: CellRecord | undefined,
  releases: readonly Release[] = [],
): Decision | Needs {
  const isEdited = heldByPerson(work, one, passed, record) === one.targets.length;
  if (work.chosenSteps?.has(one.name) === false || passed.isFrozen)
    return {
      do: "leave",
      state: isEdited ? "edited" : (record?.state ?? "blank"),
      reason: record?.reason ?? (passed.isFrozen ? remark("frozen") : undefined),
    };
  if (passed.row.problem !== undefined) return { do: "mark", state: "failed", reason: remark("rowUnfit", { problem: passed.row.problem }) };
  if (isEdited) return { do: "leave", state: "edited" };
  if (one.does.kind === "ruled")
    return hasValues(record) ? { do: "leave", state: "filled" } : { do: "leave", state: "skipped", reason: remark("noRule") };
  if (one.dueBy && !one.dueBy.some((rule) => passed.due.includes(rule)))
    return hasValues(record) || record?.held
      ? { do: "leave", state: record!.state, reason: record!.reason }
      : { do: "mark", state: "skipped", reason: remark("noRule") };
  const waitsFor = passed.waitsFor.find((column) => one.reads.includes(column));
  if (waitsFor !== undefined)
    return { do: "mark", state: hasValues(record) ? "stale" : "blank", reason: remark("waitsFor", { column: waitsFor }) };
  const values = one.condition || one.does.kind === "set" || one.does.rules.length > 0 ? rowFor(passed) : {};
  const holds = one.condition?.test(values) ?? true;
  if (typeof holds === "object") return orWaiting(passed, one.condition!.columns, remark("conditionUnclear", { problem: holds.reason }));
  if (!holds)
    return hasValues(record)
      ? { do: "mark", state: "stale", reason: remark("conditionFailsNow") }
      : { do: "mark", state: "skipped", reason: remark("conditionFails") };
  return one.does.kind === "set"
    ? decideSet(one, one.does, passed, values, record)
    : decideAsk(work, one, one.does, passed, values, record, releases);
}

/** What cannot be evaluated because an earlier step gave nothing is no failure. */
function orWaiting({ given }: Passing, reads: readonly string[], reason: Remark): Decision {
  const blank = reads.find((column) => given[column] === "");
  return blank === undefined
    ? { do: "mark", state: "failed", reason }
    : { do: "mark", state: "skipped", reason: remark("stepBlank", { column: blank }) };
}

function decideSet(
  one: StepWork,
  does: SetWork,
  passed: Passing,
  row: Readonly<Record<string, unknown>>,
  record: CellRecord | undefined,
): Decision {
  const values: Record<string, CellValue> = {};
  for (const set of does.columns) {
    const made = set.value(row);
    if ("reason" in made) return orWaiting(passed, set.reads, remark("columnUnclear", { problem: made.reason }));
    values[set.column] = made.value;
  }
  const fingerprint = setFingerprint(values);
  return record?.fingerprint === fingerprint && record.state === "filled" && coversTargets(one, record)
    ? { do: "leave", state: "filled" }
    : { do: "set", values, fingerprint };
}

function decideAsk(
  work: Work,
  one: StepWork,
  does: AskWork,
  passed: Passing,
  values: Readonly<Record<string, unknown>>,
  record: CellRecord | undefined,
  releases: readonly Release[],
): Decision | Needs {
  for (const rule of does.rules) {
    const settles = rule.condition.test(values);
    if (typeof settles === "object")
      return orWaiting(passed, rule.condition.columns, remark("ruleUnclear", { rule: rule.number, problem: settles.reason }));
    if (!settles) continue;
    if (record?.fingerprint !== rule.fingerprint) return { do: "give", rule };
    if (record.held) return decideHeld(work, one, record, record.held, releases);
    return record.state !== "stale" && coversTargets(one, record)
      ? { do: "leave", state: record.state, reason: record.reason }
      : { do: "give", rule };
  }

  const reading = readInputs(does.prepared, inputsFor(does.from, passed), passed.found ?? NOTHING_FOUND);
  const stands = hasValues(record);
  if (reading.state === "needed") return { do: "find", sources: reading.sources };
  if (reading.state === "unfetched") return decideUnfetched(work, record, reading, stands);
  if (reading.state !== "ready") {
    if (stands) return { do: "mark", state: "stale", reason: reading.reason };
    return { do: "mark", state: reading.state === "missing" ? "skipped" : "failed", reason: reading.reason };
  }

  const plain = does.fingerprint(reading.inputs);
  const again = record?.again?.on === plain ? record.again : undefined;
  const fingerprint = again ? fingerprintAgain(plain, again.says, work.sha256) : plain;
  const same = record?.fingerprint === fingerprint;
  const was = !record || record.state === "skipped" ? "blank" : record.state === "failed" ? "failed" : stands ? "stale" : "blank";
  if (work.refill === "all") return { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was, shortened: reading.shortened };
  if (same && record?.held) return decideHeld(work, one, record, record.held, releases);
  if (same && coversTargets(one, record!)) {
    if (stands) return { do: "leave", state: "filled" };
    if (record!.decided) return { do: "leave", state: record!.state, reason: record!.reason };
  }
  // Code found that there is no answer; what it rests on has not changed.
  if (same && record?.state === "skipped") return { do: "leave", state: "skipped", reason: record.reason };
  if (stands && record?.letStand?.on === fingerprint) return { do: "leave", state: "filled" };
  if (same && record?.state === "failed") {
    return work.refill === "failed"
      ? { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was }
      : { do: "leave", state: "failed", reason: record.reason };
  }
  if (stands && !same && !again && work.refill === "blank") return { do: "mark", state: "stale", reason: remark("changed") };
  // An old value whose renewal failed: the ledger has that answer, and it is no use.
  const failedBefore = work.refill === "failed" && record?.reason?.code === "notRenewed";
  return { do: "answer", fingerprint, inputs: reading.inputs, fresh: failedBefore, was, shortened: reading.shortened, again };
}

const NOTHING_FOUND: FoundSources = new Map();

/** What lies on the web is fetched by a fill alone. Until then values stand, and a preview takes the row for one that is asked. */
function decideUnfetched(
  work: Work,
  record: CellRecord | undefined,
  { reason, sources }: Extract<InputReading, { state: "unfetched" }>,
  stands: boolean,
): Decision {
  if (!work.takesUnfetched) return { do: "leave", state: stands ? record!.state : "blank", reason: stands ? record!.reason : reason };
  return { do: "answer", fingerprint: UNFETCHED, inputs: {}, fresh: true, was: stands ? "stale" : "blank", wants: sources };
}

/** Stands for the fingerprint of a question that is not known before something is fetched. */
export const UNFETCHED = "(to be fetched)";

const DAY_MS = 86_400_000;

/** What becomes of values that wait for a decision: they go on waiting, unless nothing holds them any more, or their time is over. */
function decideHeld(work: Work, one: StepWork, record: CellRecord, held: HeldCells, releases: readonly Release[]): Decision {
  const { review } = work.plan;
  const by = openHolds(work.plan, one, held, releases);
  const overdue = review?.overdue;
  const isOver =
    overdue !== undefined && overdue.then !== "wait" && !("release" in by) && work.clock.now() - held.since >= overdue.afterDays * DAY_MS;
  if (isOver) return { do: "release", how: overdue.then as "accept" | "leaveBlank", by: {} };
  const left = new Set(heldColumns(by));
  if (Object.keys(held.values).some((column) => !left.has(column))) return { do: "release", how: "released", by };
  return { do: "leave", state: "held", reason: record.reason };
}

/** What still holds values: rules that the plan still has; and `release` for columns that no check has released. */
export function openHolds(plan: Plan, one: Pick<StepWork, "name" | "unreleased">, held: HeldCells, releases: readonly Release[]): HeldBy {
  const by: Record<string, readonly string[]> = {};
  for (const [rule, columns] of Object.entries(held.by)) {
    const stands = rule in (plan.review?.hold ?? {}) || (HOLDS as readonly string[]).includes(rule);
    const wanted = columns.filter((column) => one.unreleased.includes(column));
    const left = rule === "release" ? stillUnreleased(releases, one.name, held, wanted) : stands ? columns : [];
    if (left.length > 0) by[rule] = left;
  }
  return by;
}

/** The fingerprint of a question that is asked again with what a person said of its answer. */
const fingerprintAgain = (fingerprint: string, says: string, sha256: (text: string) => string = sha256Hex): string =>
  sha256(`again ${fingerprint} ${says}`);

const hasValues = (record: CellRecord | undefined): boolean => record !== undefined && Object.keys(record.values).length > 0;

function coversTargets({ targets }: StepWork, record: CellRecord): boolean {
  return targets.every(
    ({ name }) =>
      record.values[name] !== undefined ||
      record.edited?.[name] !== undefined ||
      record.decided?.[name] !== undefined ||
      record.held?.values[name] !== undefined,
  );
}

/** How many of the step's columns hold a person's value that may not be overwritten. */
function heldByPerson(work: Work, one: StepWork, passed: Passing, record: CellRecord | undefined): number {
  if (!record?.edited) return 0;
  return one.targets.filter(
    ({ name }) =>
      record.edited![name] !== undefined &&
      !givesUp(work, name) &&
      (ownerOf(work.plan, name) !== "untilChanged" || !hasChangedSince(one, passed, record)),
  ).length;
}
