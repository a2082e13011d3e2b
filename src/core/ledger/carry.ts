/** What a column of a ledger's table holds; bytes are told as hexadecimal text. */
type ColumnType = "text" | "number" | "bytes";

const CELLS = {
  place: "number",
  key: "text",
  state: "text",
  reason: "text",
  fingerprint: "bytes",
  given: "text",
  edited: "text",
  was: "text",
  notes: "text",
  run: "text",
  at: "number",
  edited_on: "text",
  past: "text",
  form: "number",
  held: "text",
  marks: "text",
} as const;

/**
 * The tables of a ledger with their columns, in the order in which they are put into another one. What is held for a moment, leases and
 * reservations, is not carried.
 */
export const CARRIED = {
  places: { id: "number", plan: "text", step: "text" },
  answers: {
    fingerprint: "bytes",
    template: "text",
    version: "number",
    model: "text",
    run: "text",
    at: "number",
    spent: "number",
    basis: "text",
    answer: "text",
  },
  cells: { ...CELLS, alike: "text" },
  replaced: { by_run: "text", ...CELLS },
  decisions: { act: "text", place: "number", key: "text", undone: "text", decision: "text" },
  checks: { id: "text", plan: "text", at: "number", drawn: "text" },
  afterwards: { plan: "text", key: "text", rules: "text", at: "number" },
  notices: { id: "text", plan: "text", waits: "number", notice: "text" },
  versions: { template: "text", version: "number", hash: "text", text: "text", at: "number" },
  runs: {
    id: "text",
    kind: "text",
    subject: "text",
    started: "number",
    ended: "number",
    outcome: "text",
    tally: "text",
    cells: "number",
  },
  charges: {
    run: "text",
    step: "text",
    model: "text",
    day: "number",
    requests: "number",
    tokens_in: "number",
    tokens_out: "number",
    spent: "number",
    unsure: "number",
  },
  facts: { name: "text", value: "text" },
} as const satisfies Record<string, Readonly<Record<string, ColumnType>>>;

export type CarriedTable = keyof typeof CARRIED;
/** The values of a row, in the order of its table's columns. */
export type CarriedRow = readonly (string | number | null)[];

/** A ledger as it is carried, table by table. */
export interface LedgerCarrier {
  /** What messages call it. */
  readonly name: string;
  /** The names that somebody holds at this moment: a ledger is carried while nobody is at work. */
  held(): Promise<readonly string[]>;
  /** `unfinished`: what an earlier carrying left behind. */
  state(): Promise<"empty" | "unfinished" | "kept">;
  /** Empties it, and marks it as unfinished. */
  begin(): Promise<void>;
  /** The rows of a table in the order in which they came, some hundred at a time. */
  rows(table: CarriedTable): AsyncIterable<readonly CarriedRow[]>;
  put(table: CarriedTable, rows: readonly CarriedRow[]): Promise<void>;
  /** It is whole now. */
  finish(): Promise<void>;
  close(): Promise<void>;
}

export const carriedColumns = (table: CarriedTable): [name: string, type: ColumnType][] => Object.entries(CARRIED[table]);

/** The fact that a ledger is not whole yet. */
export const UNFINISHED = "ledger:unfinished";
/** Facts of one store alone. */
export const OWN_FACTS: readonly string[] = [UNFINISHED, "ledger:owner"];
