import { remark, type Json, type Remark } from "../ground/index.js";
import type { CellRecord, CellState } from "../ledger/index.js";
import type { CellValue } from "../table/index.js";
import { type ReadyRule, setFingerprint } from "../plan/index.js";
import { readInputs } from "../template/index.js";
import { inputsFor, rowFor, type Passing } from "./passing.js";
import type { AskWork, SetWork, StepWork, Work } from "./setup.js";

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
      readonly shortened?: Readonly<Record<string, Remark>> | undefined;
    }
  /** A rule settles them. */
  | { readonly do: "give"; readonly rule: ReadyRule }
  /** They are plain columns with these values. */
  | { readonly do: "set"; readonly values: Readonly<Record<string, CellValue>>; readonly fingerprint: string };

/** Decides from the row and what the ledger knows of it, without asking or changing anything. */
export function decide(work: Work, one: StepWork, passed: Passing, record: CellRecord | undefined): Decision {
  if (work.chosenSteps?.has(one.name) === false)
    return {
      do: "leave",
      state: heldByPerson(work, one, record) === one.targets.length ? "edited" : (record?.state ?? "blank"),
      reason: record?.reason,
    };
  if (passed.row.problem !== undefined) return { do: "mark", state: "failed", reason: remark("rowUnfit", { problem: passed.row.problem }) };
  if (heldByPerson(work, one, record) === one.targets.length) return { do: "leave", state: "edited" };
  const values = one.condition || one.does.kind === "set" || one.does.rules.length > 0 ? rowFor(passed) : {};
  const holds = one.condition?.test(values) ?? true;
  if (typeof holds === "object") return orWaiting(passed, one.condition!.columns, remark("conditionUnclear", { problem: holds.reason }));
  if (!holds)
    return hasValues(record)
      ? { do: "mark", state: "stale", reason: remark("conditionFailsNow") }
      : { do: "mark", state: "skipped", reason: remark("conditionFails") };
  return one.does.kind === "set"
    ? decideSet(one, one.does, passed, values, record)
    : decideAsk(work, one, one.does, passed, values, record);
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
): Decision {
  for (const rule of does.rules) {
    const settles = rule.condition.test(values);
    if (typeof settles === "object")
      return orWaiting(passed, rule.condition.columns, remark("ruleUnclear", { rule: rule.number, problem: settles.reason }));
    if (!settles) continue;
    return record?.fingerprint === rule.fingerprint && record.state === "filled" && coversTargets(one, record)
      ? { do: "leave", state: "filled" }
      : { do: "give", rule };
  }

  const reading = readInputs(does.prepared, inputsFor(does.from, passed));
  const stands = hasValues(record);
  if (reading.state !== "ready") {
    if (stands) return { do: "mark", state: "stale", reason: reading.reason };
    return { do: "mark", state: reading.state === "missing" ? "skipped" : "failed", reason: reading.reason };
  }

  const fingerprint = does.fingerprint(reading.inputs);
  const same = record?.fingerprint === fingerprint;
  const was = !record || record.state === "skipped" ? "blank" : record.state === "failed" ? "failed" : stands ? "stale" : "blank";
  if (work.refill === "all") return { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was, shortened: reading.shortened };
  if (same && stands && coversTargets(one, record)) return { do: "leave", state: "filled" };
  if (same && record?.state === "failed") {
    return work.refill === "failed"
      ? { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was }
      : { do: "leave", state: "failed", reason: record.reason };
  }
  if (stands && !same && work.refill === "blank") return { do: "mark", state: "stale", reason: remark("changed") };
  // An old value whose renewal failed: the ledger has that answer, and it is no use.
  const failedBefore = work.refill === "failed" && record?.reason?.code === "notRenewed";
  return { do: "answer", fingerprint, inputs: reading.inputs, fresh: failedBefore, was, shortened: reading.shortened };
}

const hasValues = (record: CellRecord | undefined): boolean => record !== undefined && Object.keys(record.values).length > 0;

function coversTargets({ targets }: StepWork, record: CellRecord): boolean {
  return targets.every(({ name }) => record.values[name] !== undefined || record.edited?.[name] !== undefined);
}

/** How many of the step's columns hold a person's value that may not be overwritten. */
function heldByPerson(work: Work, { targets }: StepWork, record: CellRecord | undefined): number {
  if (!record?.edited) return 0;
  return targets.filter(({ name }) => record.edited![name] !== undefined && !work.overwrite.has(name)).length;
}
