import type { Answer } from "../answer/index.js";
import type { Json, Micros, Remark } from "../ground/index.js";
import type { CellValue } from "../table/index.js";

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
