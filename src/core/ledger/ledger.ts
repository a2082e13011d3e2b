import type { Json, Micros } from "../ground/index.js";
import type { Charge } from "./charges.js";
import type {
  AfterRecord,
  AnswerRecord,
  CellRecord,
  CheckRecord,
  DaySpendRecord,
  DecisionRecord,
  NoticeRecord,
  RunRecord,
  SpendRecord,
  VersionRecord,
} from "./records.js";

/** What is recorded at once. */
export interface Entry {
  /** The first answer of a fingerprint wins, unless `replace` says that these were asked afresh. */
  readonly answers?: readonly AnswerRecord[] | undefined;
  readonly replace?: boolean | undefined;
  readonly cells?: readonly CellRecord[] | undefined;
  readonly decisions?: readonly DecisionRecord[] | undefined;
  readonly afterwards?: readonly AfterRecord[] | undefined;
  /** A message replaces what is known of it. */
  readonly notices?: readonly NoticeRecord[] | undefined;
  /** An act that is taken back. */
  readonly undone?: { readonly act: string; readonly by: string; readonly at: number } | undefined;
  /** Added to what the same run, step, model and day were charged before. */
  readonly charges?: readonly Charge[] | undefined;
  /** Who had reserved room for these charges, also of the cap of the run (`runHolder`), and holds the names in `release`. */
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

/** Cells of a row that a run changed. */
export interface ChangedCells {
  /** As they stand. */
  readonly now: CellRecord;
  /** As the run left them: the same, unless something has changed them since. */
  readonly after: CellRecord;
  /** As they stood before the run; `undefined` where it made them. */
  readonly before: CellRecord | undefined;
}

/** How the cells of rows stand. */
export interface CellStore {
  /** The cells of rows, by step; rows without a record are left out. */
  find(plan: string, step: string, keys: readonly string[]): Promise<Map<string, CellRecord>>;
  /** Every row's cells, some hundred at a time. */
  all(): AsyncIterable<readonly CellRecord[]>;
  /**
   * Cells with values that wait for a person, by key.
   *
   * @param about.after begins behind this key.
   * @param about.like only those that say the same; "" for those that wait for a random check alone.
   */
  held(
    plan: string,
    step: string,
    about: { readonly after?: string | undefined; readonly like?: string | undefined; readonly limit: number },
  ): Promise<CellRecord[]>;
  /** How many there are. */
  countHeld(plan: string, step: string, like?: string): Promise<number>;
  /** The keys of rows whose cells of a step were recorded at a moment or later, milliseconds since 1970. */
  changedSince(plan: string, step: string, at: number): Promise<string[]>;
  /**
   * Gives all cells of a plan, with what was decided about them, another plan's name; what that name had goes. So a plan can be pointed at
   * another table and back.
   */
  rename(plan: string, to: string): Promise<void>;
  /**
   * What a run changed, some hundred at a time. Kept of a plan's last ten fills that changed something.
   */
  changedBy(run: string, plan: string): AsyncIterable<readonly ChangedCells[]>;
}

/** What people decided, and the random checks. */
export interface DecisionStore {
  /** The decisions of a plan, oldest first, some hundred at a time. */
  all(plan: string): AsyncIterable<readonly DecisionRecord[]>;
  /** The decisions about a row's cells of a step, oldest first. */
  of(plan: string, step: string, key: string): Promise<DecisionRecord[]>;
  /** The decisions of one act. */
  act(act: string): Promise<DecisionRecord[]>;
  addCheck(check: CheckRecord): Promise<void>;
  /** The random checks of a plan, newest first. */
  checks(plan: string): Promise<CheckRecord[]>;
}

/** Room below a cap that all processes share. */
export interface Reservation {
  /** Who reserves; what it had reserved before is replaced. */
  readonly holder: string;
  /** Whether it is granted at all depends on this amount; as much as `wants` is granted while there is plenty. */
  readonly needs: Micros;
  readonly wants: Micros;
  readonly cap: Micros;
  /** The cap of one run, which several processes spend of: only its charges and reservations count. Default: those of all runs. */
  readonly run?: string | undefined;
  /** Charges from this day on (days since 1970 UTC) count against the cap. */
  readonly since: number;
  /** Until when it stands unless it is renewed or given back, milliseconds since 1970. */
  readonly until: number;
  readonly now: number;
}

/** What asking cost. */
export interface ChargeStore {
  /**
   * What runs of a subject were charged, by model and step.
   *
   * @param about.since only runs that began at this moment or later, milliseconds since 1970. Default: all.
   * @param about.runs only these.
   */
  of(
    subject: string,
    about?: { readonly since?: number | undefined; readonly runs?: readonly string[] | undefined },
  ): Promise<SpendRecord[]>;
  /** What runs were charged from a day on (days since 1970 UTC), day by day, newest first. */
  byDay(since: number): Promise<DaySpendRecord[]>;
  /** What all runs, or one, were charged from a day on (days since 1970 UTC), what may have been charged included. */
  since(day: number, run?: string): Promise<Micros>;
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
  /** Runs of all kinds about all subjects, newest first. */
  recent(about: {
    readonly limit: number;
    /** Only those that began before a moment. */
    readonly before?: number | undefined;
    readonly kind?: RunRecord["kind"] | undefined;
    readonly subject?: string | undefined;
  }): Promise<RunRecord[]>;
}

export interface VersionStore {
  /** The version of a template's content; a content not seen before gets the next number. */
  of(template: string, content: { readonly hash: string; readonly text: string; readonly at: number }): Promise<VersionRecord>;
  all(template: string): Promise<VersionRecord[]>;
}

/** What rules made of rows, and the messages that they send. */
export interface AfterStore {
  /** What the rules of a plan made of rows; rows that none has considered are left out. */
  find(plan: string, keys: readonly string[]): Promise<Map<string, AfterRecord>>;
  /** All rows of a plan that its rules have considered, by key, some hundred at a time. */
  all(plan: string): AsyncIterable<readonly AfterRecord[]>;
  /** A mark that changes when what rules made of a plan's rows does. */
  mark(plan: string): Promise<string>;
  /** Messages that wait, the oldest first. */
  waiting(plan: string, limit: number): Promise<NoticeRecord[]>;
  /** The newest messages of a plan. */
  notices(plan: string, limit: number): Promise<NoticeRecord[]>;
  /** How many messages of a plan wait, and how many were taken. */
  count(plan: string): Promise<{ readonly waiting: number; readonly sent: number }>;
}

/** Small facts about the project's own files, such as what was last written to a table. */
export interface FactStore {
  get(name: string): Promise<Json | undefined>;
  set(name: string, value: Json): Promise<void>;
  /** Forgets facts, as if they had never been. */
  remove(names: readonly string[]): Promise<void>;
  /** Every fact whose name begins so, by name; those set to null are left out. */
  find(beginning: string): Promise<Map<string, Json>>;
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
  /** Whether somebody has a name at this moment. */
  isTaken(name: string, now: number): Promise<boolean>;
  /**
   * Whether what this process took at a moment may be another's by now, since it was not seen for a while: it was frozen, or cut off. Left
   * out where that cannot be.
   */
  mayHaveLost?(takenAt: number): boolean;
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
  readonly decisions: DecisionStore;
  readonly afterwards: AfterStore;
  readonly charges: ChargeStore;
  readonly runs: RunStore;
  readonly versions: VersionStore;
  readonly facts: FactStore;
  readonly leases: LeaseStore;
  /** Keeps answers, cells and charges together, and lets go of what was held for them: all of it or nothing. */
  record(entry: Entry): Promise<void>;
  /** A mark that changes when another process has recorded something. */
  mark(): Promise<string>;
  /** Resolves once all that was recorded survives the loss of power. */
  flush(): Promise<void>;
  /** Flushes, and lets go of what was opened. */
  close(): Promise<void>;
}
