import type { Json } from "../ground/index.js";
import type { CellRecord, CellState } from "../ledger/index.js";
import type { RelatedRow, Row } from "../table/index.js";
import { readInputs } from "../template/index.js";
import type { ReadyRule } from "./clear.js";
import type { Work } from "./setup.js";

/** What the plan's `related` found for a row, by name. */
export type RelatedRows = Readonly<Record<string, readonly RelatedRow[]>>;

/** What is to be done about one row's cells. */
export type Decision =
  /** They stand as they should. */
  | { readonly do: "leave"; readonly state: CellState; readonly reason?: string | undefined }
  /** They get no answer, and this is why. */
  | { readonly do: "mark"; readonly state: CellState; readonly reason: string }
  /** They need the answer of this fingerprint; `fresh` asks even where the ledger has one. */
  | { readonly do: "answer"; readonly fingerprint: string; readonly inputs: Readonly<Record<string, Json>>; readonly fresh: boolean; readonly was: "blank" | "stale" | "failed"; readonly shortened?: Readonly<Record<string, string>> | undefined }
  /** A rule settles them. */
  | { readonly do: "give"; readonly rule: ReadyRule };

/** Decides from the row and what the ledger knows of it, without asking or changing anything. */
export function decide(work: Work, row: Row, record: CellRecord | undefined, related: RelatedRows = {}): Decision {
  if (row.problem !== undefined) return { do: "mark", state: "failed", reason: row.problem };
  const held = heldByPerson(work, record);
  if (held === work.targets.length) return { do: "leave", state: "edited" };
  const values = { ...row.values, ...related };
  const holds = work.condition?.test(values) ?? true;
  if (typeof holds === "object") return { do: "mark", state: "failed", reason: holds.reason };
  const hasValues = record !== undefined && Object.keys(record.values).length > 0;
  if (!holds) return hasValues ? { do: "mark", state: "stale", reason: "the condition no longer holds" } : { do: "mark", state: "skipped", reason: "the condition does not hold" };

  for (const rule of work.rules) {
    const settles = rule.condition.test(values);
    if (typeof settles === "object") return { do: "mark", state: "failed", reason: `rule ${rule.number}: ${settles.reason}` };
    if (!settles) continue;
    return record?.fingerprint === rule.fingerprint && record.state === "filled" && coversTargets(work, record) ? { do: "leave", state: "filled" } : { do: "give", rule };
  }

  const reading = readInputs(work.prepared, cellsOf(work, row, related));
  if (reading.state !== "ready") {
    if (hasValues) return { do: "mark", state: "stale", reason: reading.reason };
    return { do: "mark", state: reading.state === "missing" ? "skipped" : "failed", reason: reading.reason };
  }

  const fingerprint = work.fingerprint(reading.inputs);
  const same = record?.fingerprint === fingerprint;
  const was = !record || record.state === "skipped" ? "blank" : record.state === "failed" ? "failed" : hasValues ? "stale" : "blank";
  if (work.refill === "all") return { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was, shortened: reading.shortened };
  if (same && hasValues && coversTargets(work, record)) return { do: "leave", state: "filled" };
  if (same && record?.state === "failed") {
    return work.refill === "failed" ? { do: "answer", fingerprint, inputs: reading.inputs, fresh: true, was } : { do: "leave", state: "failed", reason: record.reason };
  }
  if (hasValues && !same && work.refill === "blank") return { do: "mark", state: "stale", reason: "the template, an input or the model has changed" };
  return { do: "answer", fingerprint, inputs: reading.inputs, fresh: false, was, shortened: reading.shortened };
}

/** What stands in a row for each input; related rows as the JSON that the kind `rows` reads. */
export function cellsOf({ from }: Pick<Work, "from">, row: Row, related: RelatedRows): Record<string, string | undefined> {
  const cells: Record<string, string | undefined> = {};
  for (const input in from) {
    const found = related[from[input]!];
    cells[input] = found === undefined ? row.values[from[input]!] : found.length === 0 ? "" : JSON.stringify(found);
  }
  return cells;
}

function coversTargets(work: Work, record: CellRecord): boolean {
  return work.targets.every(({ column }) => record.values[column] !== undefined || record.edited?.[column] !== undefined);
}

/** How many of the step's columns hold a person's value that may not be overwritten. */
function heldByPerson(work: Work, record: CellRecord | undefined): number {
  if (!record?.edited) return 0;
  return work.targets.filter(({ column }) => record.edited![column] !== undefined && !work.overwrite.has(column)).length;
}
