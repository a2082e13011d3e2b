import type { Answer } from "../answer/index.js";
import type { Json, Micros, Remark } from "../ground/index.js";
import type { CellValue } from "../table/index.js";
import type { Charge } from "./charges.js";

/** The state of a row's cells that one step fills. `edited` is kept for each column beside it. */
export type CellState = "blank" | "filled" | "stale" | "edited" | "held" | "failed" | "skipped";

/** An answer as the ledger keeps it. `parts` of an answered one are plain JSON. */
export interface AnswerRecord {
  readonly fingerprint: string;
  readonly template: string;
  readonly version: number;
  readonly model: string;
  readonly run: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  /** What the fingerprint rests on, piece by piece, so that it can be told what has changed since. */
  readonly basis?: Readonly<Record<string, string>> | undefined;
  readonly answer: Answer;
}

/** What stands in the cells of one row that one step fills, and why. */
export interface CellRecord {
  readonly plan: string;
  readonly step: string;
  readonly key: string;
  readonly state: CellState;
  /** Why the cells are empty or out of date. */
  readonly reason?: Remark | undefined;
  /** Of the answer that the values came from. */
  readonly fingerprint?: string | undefined;
  /** What Yoroshi last gave each column. */
  readonly values: Readonly<Record<string, CellValue>>;
  /** What the table still holds of an earlier answer, as long as these values have not been written to it. */
  readonly was?: Readonly<Record<string, CellValue>> | undefined;
  /** How the values came about, where a person should know: a rule, a shortened input, a second opinion. */
  readonly notes?: readonly Remark[] | undefined;
  /** What a person put into columns instead; it wins. */
  readonly edited?: Readonly<Record<string, string>> | undefined;
  /** A short hash of the row's inputs when the edits were first seen, so that it can be told when the row has changed since. */
  readonly editedOn?: string | undefined;
  /** The form of the prompt that the answer is to; left out of the first, and of what no model answered. */
  readonly form?: number | undefined;
  /** Short hashes of what the table held for the row after earlier writes, newest last. */
  readonly past?: readonly string[] | undefined;
  readonly run: string;
  readonly at: number;
}

/** A run as the ledger keeps it. */
export interface RunRecord {
  readonly id: string;
  readonly kind: "fill" | "trial" | "try";
  /** The plan of a fill, the template of a trial or a try. */
  readonly subject: string;
  readonly startedAt: number;
  readonly endedAt?: number | undefined;
  /** How it ended: `done`, or why it stopped early. */
  readonly end?: string | undefined;
  /** Figures of the run, as its command printed them. */
  readonly tally?: Json | undefined;
}

export interface VersionRecord {
  readonly template: string;
  readonly version: number;
  /** Hash of the template's content. */
  readonly hash: string;
  /** The file as it stood. */
  readonly text: string;
  readonly at: number;
}

/** What was spent on a subject, by model and step. */
export interface SpendRecord {
  readonly model: string;
  readonly step: string;
  readonly requests: number;
  readonly tokensIn: number;
  readonly tokensOut: number;
  readonly spent: Micros;
  readonly unsure: Micros;
}

/** What is recorded at once. */
export interface Entry {
  /** The first answer of a fingerprint wins, unless `replace` says that these were asked afresh. */
  readonly answers?: readonly AnswerRecord[] | undefined;
  readonly replace?: boolean | undefined;
  readonly cells?: readonly CellRecord[] | undefined;
  /** Added to what the same run, step, model and day were charged before. */
  readonly charges?: readonly Charge[] | undefined;
  /** Who had reserved room for these charges, and holds the names in `release`. */
  readonly holder?: string | undefined;
  /** Names that the holder lets go of. */
  readonly release?: readonly string[] | undefined;
}

/** Every answer that a model gave. */
export interface AnswerStore {
  /** The answers of fingerprints, in their order; `undefined` for those never answered. */
  find(fingerprints: readonly string[]): Promise<(AnswerRecord | undefined)[]>;
  /** Every answer, oldest first, some hundred at a time. */
  all(): AsyncIterable<readonly AnswerRecord[]>;
  /**
   * Forgets answers that were given before a moment and that no cell rests on.
   *
   * @param about.subject only those that a plan's fills, or a template's trials and tries, recorded.
   * @returns how many.
   */
  prune(about: { readonly before: number; readonly subject?: string | undefined }): Promise<number>;
}

/** How the cells of rows stand. */
export interface CellStore {
  /** The cells of rows, by step; rows without a record are left out. */
  find(plan: string, step: string, keys: readonly string[]): Promise<Map<string, CellRecord>>;
  /** Every row's cells, some hundred at a time. */
  all(): AsyncIterable<readonly CellRecord[]>;
}

/** Room below a cap that all processes share. */
export interface Reservation {
  /** Who reserves; what it had reserved before is replaced. */
  readonly holder: string;
  /** Whether it is granted at all depends on this amount; as much as `wants` is granted while there is plenty. */
  readonly needs: Micros;
  readonly wants: Micros;
  readonly cap: Micros;
  /** Charges from this day on (days since 1970 UTC) count against the cap. */
  readonly since: number;
  /** Until when it stands unless it is renewed or given back, milliseconds since 1970. */
  readonly until: number;
  readonly now: number;
}

/** What asking cost. */
export interface ChargeStore {
  /** What all runs of a subject were charged, by model and step. */
  of(subject: string): Promise<SpendRecord[]>;
  /** What all runs were charged from a day on (days since 1970 UTC), what may have been charged included. */
  since(day: number): Promise<Micros>;
  /**
   * Reserves room below a cap, at once over all processes: charges since that day, what others hold and `needs` together
   * must not pass it. What is recorded as charged with the holder's name lowers its reservation by as much.
   *
   * @returns the amount that the holder now holds, `undefined` where there is no room; then it holds what it held.
   */
  reserve(about: Reservation): Promise<Micros | undefined>;
  /** Gives a holder's reservation back. */
  release(holder: string): Promise<void>;
}

export interface RunStore {
  start(run: RunRecord): Promise<void>;
  end(run: Required<Pick<RunRecord, "id" | "endedAt" | "end">> & { readonly tally: Json }): Promise<void>;
  /** Runs of a kind about a subject, newest first. */
  find(kind: RunRecord["kind"], subject: string, limit: number): Promise<RunRecord[]>;
}

export interface VersionStore {
  /** The version of a template's content; a content not seen before gets the next number. */
  of(template: string, content: { readonly hash: string; readonly text: string; readonly at: number }): Promise<VersionRecord>;
  all(template: string): Promise<VersionRecord[]>;
}

/** Small facts about the project's own files, such as what was last written to a table. */
export interface FactStore {
  get(name: string): Promise<Json | undefined>;
  set(name: string, value: Json): Promise<void>;
  /**
   * Sets a fact only where it still is what the caller knows of it (compare and set).
   *
   * @param expected `undefined` for a fact that does not exist yet.
   * @returns whether it was set.
   */
  swap(name: string, expected: Json | undefined, value: Json): Promise<boolean>;
}

/** Names that one holder has at a time, over processes. */
export interface LeaseStore {
  /**
   * Takes names that are free, held by the same holder, or whose holder's time is over. A holder whose process died has let go.
   *
   * @returns for each name whether it was taken.
   */
  take(names: readonly string[], about: { readonly holder: string; readonly until: number; readonly now: number }): Promise<boolean[]>;
  /** Lets go of names; those that another has taken since stay. */
  release(holder: string, names: readonly string[]): Promise<void>;
}

/**
 * The port to the durable record of every answer, cell and run. Writes resolve once they survive the end of the
 * process; `flush` once they survive the loss of power.
 */
export interface Ledger {
  readonly answers: AnswerStore;
  readonly cells: CellStore;
  readonly charges: ChargeStore;
  readonly runs: RunStore;
  readonly versions: VersionStore;
  readonly facts: FactStore;
  readonly leases: LeaseStore;
  /** Keeps answers, cells and charges together, and lets go of what was held for them: all of it or nothing. */
  record(entry: Entry): Promise<void>;
  /** Resolves once all that was recorded survives the loss of power. */
  flush(): Promise<void>;
  /** Flushes, and lets go of what was opened. */
  close(): Promise<void>;
}
