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
  /** What the answer would put into columns, kept back until it is decided. */
  readonly held?: HeldCells | undefined;
  /** Column -> what a person decided of the answer's value in it. */
  readonly decided?: Readonly<Record<string, DecidedCell>> | undefined;
  /** What a person said of an answer that is to be asked again. */
  readonly again?: AskAgain | undefined;
  /** Values that are out of date stand all the same, as long as what they would now be asked with stays as it is. */
  readonly letStand?: { readonly on: string; readonly by: string; readonly at: number } | undefined;
  /** The form of the prompt that the answer is to; left out of the first, and of what no model answered. */
  readonly form?: number | undefined;
  /** Short hashes of what the table held for the row after earlier writes, newest last. */
  readonly past?: readonly string[] | undefined;
  readonly run: string;
  readonly at: number;
}

/** Values of an answer that wait for a decision. */
export interface HeldCells {
  /** Column -> the value that waits. */
  readonly values: Readonly<Record<string, CellValue>>;
  /** The rules that hold them, each with the columns that it holds: rules of the plan, or `HOLDS` of our own. */
  readonly by: Readonly<Record<string, readonly string[]>>;
  /** Milliseconds since 1970. */
  readonly since: number;
  /** The template's version, and the model, that the values came from. */
  readonly version?: number | undefined;
  readonly model?: string | undefined;
  /** The row as it was asked about, long texts cut; and where it stands in its table. */
  readonly row: Readonly<Record<string, string>>;
  readonly place: string;
  /** A short hash of what the step read in the row. */
  readonly on?: string | undefined;
  /** A short hash that held values of the same step share which say the same; "" where they wait for a random check alone. */
  readonly like: string;
}

/** What was decided of one cell: an act of a person, or of time. */
export interface DecidedCell {
  readonly how: "accept" | "edit" | "reject";
  /** The act in the ledger's decisions; none where nobody decided in time. */
  readonly act?: string | undefined;
  readonly by: string;
  readonly at: number;
  readonly reason?: string | undefined;
}

/** An answer that a person wants asked again, and why. */
export interface AskAgain {
  /** The fingerprint of the question as it was asked. */
  readonly on: string;
  readonly says: string;
  /** The answer that is not good enough, as JSON. */
  readonly before: string;
  readonly by: string;
}

/** What a person did about one cell. */
export interface DecisionRecord {
  /** What was done at once to a row has one act. */
  readonly act: string;
  readonly plan: string;
  readonly step: string;
  readonly key: string;
  readonly column: string;
  readonly how: "accept" | "edit" | "reject" | "askAgain" | "setBack" | "letStand";
  /** A mark of the judged answer: another answer, or another value, has another one. */
  readonly judged: string;
  /** The value that was judged. */
  readonly value?: CellValue | undefined;
  /** What a person put instead; of a blind check, what they found before they saw the value. */
  readonly given?: CellValue | undefined;
  /** What stood in the cell until then. */
  readonly stood?: CellValue | undefined;
  /** The rules that held it. */
  readonly rules?: readonly string[] | undefined;
  readonly reason?: string | undefined;
  readonly template?: string | undefined;
  readonly version?: number | undefined;
  readonly model?: string | undefined;
  readonly by: string;
  readonly at: number;
  readonly tookMs?: number | undefined;
  /** The random check that it was made for. */
  readonly check?: string | undefined;
  /** Whether the value was not shown before. */
  readonly blind?: boolean | undefined;
  /** The row as it was shown, and what else was known of the held values; once for each act. */
  readonly shown?: Omit<HeldCells, "values" | "by"> | undefined;
  /** Taken back. */
  readonly undone?: { readonly by: string; readonly at: number } | undefined;
}

/** Rows drawn at random to find how many cells are wrong. */
export interface CheckRecord {
  readonly id: string;
  readonly plan: string;
  readonly step: string;
  readonly template: string;
  readonly version: number;
  readonly model: string;
  readonly seed: number;
  readonly at: number;
  readonly by: string;
  readonly columns: readonly string[];
  /** How many rows there were to draw from. */
  readonly population: number;
  /** Column -> value -> how many of them have it; left out where there are too many values. */
  readonly values: Readonly<Record<string, Readonly<Record<string, number>>>>;
  /** The same for columns of the table by which the figures are sliced. */
  readonly slices: Readonly<Record<string, Readonly<Record<string, number>>>>;
  /** The rows that were drawn, in the order of the draw. */
  readonly rows: readonly CheckedRow[];
}

/** A row of a check as it stood when it was drawn. */
export interface CheckedRow {
  readonly key: string;
  readonly place: string;
  readonly fingerprint: string;
  readonly values: Readonly<Record<string, CellValue>>;
  readonly row: Readonly<Record<string, string>>;
  readonly slices?: Readonly<Record<string, string>> | undefined;
}

/** What a rule last saw of a row, and what came of it. */
export interface RuleState {
  /** The columns that it reads, as they stood. */
  readonly seen: Readonly<Record<string, CellValue>>;
  readonly holds: boolean;
  /** What it gives the row that it appends, by column there. */
  readonly gives?: Readonly<Record<string, CellValue>> | undefined;
  /** What it gave the row that it appended until then, where that has been taken off or has become another. */
  readonly gave?: Readonly<Record<string, CellValue>> | undefined;
  /** The row has gone, and its appended row with it: when it comes back that is a cause. */
  readonly gone?: true | undefined;
}

/** What the rules of a plan made of a row. */
export interface AfterRecord {
  readonly plan: string;
  readonly key: string;
  /** By the rules' names; one that has never considered the row is left out. */
  readonly rules: Readonly<Record<string, RuleState>>;
  readonly at: number;
}

/** A message that a rule sends, kept until it has been taken. */
export interface NoticeRecord {
  /** The same however often it is sent. */
  readonly id: string;
  readonly plan: string;
  readonly rule: string;
  readonly key: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  /** The columns that it carries. */
  readonly columns: Readonly<Record<string, CellValue>>;
  readonly state: "waiting" | "sent";
  readonly attempts: number;
  /** When it was last sent, or tried. */
  readonly triedAt?: number | undefined;
  /** Why the last attempt was in vain. */
  readonly problem?: string | undefined;
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
  /** How many records of rows' cells it kept, once it has ended. */
  readonly cells?: number | undefined;
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

/** What was spent on one day, by what it was spent on. */
export interface DaySpendRecord extends SpendRecord {
  /** Days since 1970 UTC. */
  readonly day: number;
  readonly kind: RunRecord["kind"];
  /** The plan of fills, the template of trials and tries. */
  readonly subject: string;
}

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
