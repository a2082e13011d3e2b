import type { Answer } from "../answer/index.js";
import type { Json, Micros } from "../ground/index.js";
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
  readonly reason?: string | undefined;
  /** Of the answer that the values came from. */
  readonly fingerprint?: string | undefined;
  /** What Yoroshi last gave each column. */
  readonly values: Readonly<Record<string, CellValue>>;
  /** What the table still holds of an earlier answer, as long as these values have not been written to it. */
  readonly was?: Readonly<Record<string, CellValue>> | undefined;
  /** How the values came about, where a person should know: a rule, a shortened input, a second opinion. */
  readonly notes?: readonly string[] | undefined;
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
}

/**
 * The port to the durable record of every answer, cell and run. Writes resolve once they survive the end of the
 * process; `flush` once they survive the loss of power.
 */
export interface Ledger {
  /** The answers of fingerprints, in their order; `undefined` for those never answered. */
  answers(fingerprints: readonly string[]): Promise<(AnswerRecord | undefined)[]>;
  /** Keeps answers and cells together: all of them or none. */
  record(entry: Entry): Promise<void>;
  /** The cells of rows, by step; rows without a record are left out. */
  cells(plan: string, step: string, keys: readonly string[]): Promise<Map<string, CellRecord>>;

  /** The version of a template's content; a content not seen before gets the next number. */
  versionOf(template: string, content: { readonly hash: string; readonly text: string; readonly at: number }): Promise<VersionRecord>;
  versions(template: string): Promise<VersionRecord[]>;

  startRun(run: RunRecord): Promise<void>;
  endRun(run: Required<Pick<RunRecord, "id" | "endedAt" | "end">> & { readonly tally: Json }): Promise<void>;
  /** Runs of a kind about a subject, newest first. */
  runs(kind: RunRecord["kind"], subject: string, limit: number): Promise<RunRecord[]>;
  /** What all runs of a subject were charged, by model and step. */
  spend(subject: string): Promise<SpendRecord[]>;
  /** What all runs were charged from a day on (days since 1970 UTC), what may have been charged included. */
  spentSince(day: number): Promise<Micros>;

  /** Every answer, oldest first, some hundred at a time. */
  everyAnswer(): AsyncIterable<readonly AnswerRecord[]>;
  /** Every row's cells, some hundred at a time. */
  everyCell(): AsyncIterable<readonly CellRecord[]>;
  /**
   * Forgets answers that were given before a moment and that no cell rests on.
   *
   * @param about.subject only those that a plan's fills, or a template's trials and tries, recorded.
   * @returns how many.
   */
  prune(about: { readonly before: number; readonly subject?: string | undefined }): Promise<number>;

  /** Small facts about the project's own files, such as what was last written to a table. */
  note(name: string): Promise<Json | undefined>;
  setNote(name: string, value: Json): Promise<void>;

  /**
   * Claims a name for whoever is at work under it, so that no two fills of one plan run at once, in whatever processes.
   * Gives the way to let go of it, or `undefined` while another has it. A process that died has let go.
   */
  claim(name: string): Promise<(() => Promise<void>) | undefined>;

  flush(): Promise<void>;
  close(): Promise<void>;
}
