import type { Kysely, RawBuilder } from "kysely";
import type { CellType } from "../../core/index.js";

// The tables are the user's own, so that there is no schema to type them with.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Db = Kysely<any>;

/** What a column's values are, as far as reading and writing them as text differs. */
export type ColumnClass =
  "text" | "padded" | "binary" | "integer" | "decimal" | "float" | "single" | "boolean" | "date" | "dateTime" | "other";

export interface SqlColumn {
  readonly name: string;
  readonly class: ColumnClass;
  /** The type in the database's own words, for casts. */
  readonly type: string;
  /** Digits after the point that a decimal keeps. */
  readonly scale?: number | undefined;
  /** The database computes it: it cannot be written. */
  readonly isComputed?: boolean | undefined;
}

/** A table by schema and name. */
export interface TableName {
  readonly schema?: string | undefined;
  readonly name: string;
}

/** Columns of one row that get new text, if they still hold the text that was read (`null` for NULL). */
export interface RowChange {
  /** The values of the key columns as parameters. */
  readonly key: readonly unknown[];
  readonly was: readonly (string | null)[];
  readonly becomes: readonly (string | null)[];
}

/** Rows of one batch that change the same columns. */
export interface Change {
  readonly table: RawBuilder<unknown>;
  readonly key: readonly SqlColumn[];
  readonly columns: readonly SqlColumn[];
  readonly rows: readonly RowChange[];
}

/** What went wrong, in plain words, and what kind of thing it is. */
export interface SqlFault {
  /** `away`: may pass by waiting. `value`: one row's value does not fit. `rights`: not allowed. `other`: for good. */
  readonly kind: "away" | "value" | "rights" | "other";
  readonly problem: string;
}

/** What differs between databases. */
export interface Dialect {
  readonly name: "PostgreSQL" | "MySQL" | "SQLite";
  /** The columns of a table in order; none where there is no such table. */
  columns(db: Db, table: TableName): Promise<SqlColumn[]>;
  /** The column lists of the table's unique indexes, primary key included. */
  uniqueKeys(db: Db, table: TableName): Promise<string[][]>;
  /** A column's value as the text that guards it against changes in between. */
  asText(column: RawBuilder<unknown>): RawBuilder<unknown>;
  /** Why rows of a table cannot be changed: it is a view that does not pass them on. */
  whyFixed(db: Db, table: TableName): Promise<string | undefined>;
  /** A key column as the text that names a row: another text for every value. */
  keyText(column: RawBuilder<unknown>, kind: ColumnClass): RawBuilder<unknown>;
  /** What of a key column comes back as a parameter; the same where its text does. */
  keyRaw?(column: RawBuilder<unknown>): RawBuilder<unknown>;
  /** A key column's value, as it was given, for comparing with the column. */
  keyParameter(value: unknown, kind: ColumnClass): RawBuilder<unknown>;
  /** Whether a key column has the value of this text, so that an index finds it; only for columns that `findsByText`. */
  keyIs(column: RawBuilder<unknown>, of: SqlColumn, text: string): RawBuilder<unknown>;
  /** Whether a column's value is that of a text, or greater. */
  isAtLeast(column: RawBuilder<unknown>, of: SqlColumn, text: string): RawBuilder<unknown>;
  /** The type for a new column. */
  typeFor(type: CellType): string;
  /** The type for the key column of a new table. */
  readonly keyType: string;
  /** The text of a value as its driver gives it; NULL is blank. */
  textOf(value: unknown, column?: SqlColumn): string;
  /**
   * Updates the rows whose columns still hold what was read. Gives those it updated, each with the texts of its key columns under
   * `keyAlias`.
   */
  update(db: Db, change: Change): Promise<readonly Readonly<Record<string, unknown>>[]>;
  /** The rows of a change as they stand, each with the texts of its key columns under `keyAlias`. */
  readBack(db: Db, change: Change): Promise<readonly Readonly<Record<string, unknown>>[]>;
  fault(error: unknown): SqlFault;
}

/** A fault as most databases word it, from its code. */
export function faultOf(code: string, words: Readonly<Record<string, readonly [SqlFault["kind"], string]>>, fallback: string): SqlFault {
  const known = words[code] ?? NETWORK[code];
  return known ? { kind: known[0], problem: known[1] } : { kind: "other", problem: code === "" ? fallback : `${fallback} (${code})` };
}

const NETWORK: Readonly<Record<string, readonly [SqlFault["kind"], string]>> = {
  ECONNREFUSED: ["away", "nothing answers at its address"],
  ECONNRESET: ["away", "the connection broke off"],
  EPIPE: ["away", "the connection broke off"],
  ETIMEDOUT: ["away", "it does not answer in time"],
  EHOSTUNREACH: ["away", "its host cannot be reached"],
  ENOTFOUND: ["away", "its host is not known"],
  EAI_AGAIN: ["away", "its host cannot be looked up"],
};

export const VALUE_TOO_LONG = "the value is longer than the column holds";
export const VALUE_OUT_OF_RANGE = "the number is outside of what the column holds";
export const VALUE_UNFIT = "the value is not of the column's type";
export const VALUE_FORBIDDEN = "a rule of the table forbids the value";
/** The name under which a key column's own text is selected. */
export const keyAlias = (index: number): string => `yoroshi_key_${index}`;
/** The name under which its value is selected where the text does not do as a parameter. */
export const rawAlias = (index: number): string => `yoroshi_raw_${index}`;

/** The words of a trigger or rule, on one line. */
export function wordsOf(message: string): string {
  const words = message
    .split("\n")[0]!
    .replace(/\p{Cc}/gu, " ")
    .trim();
  return words === "" ? VALUE_FORBIDDEN : `the database says: ${words.length > 200 ? `${words.slice(0, 200)}…` : words}`;
}

export const READ_ONLY = "it is read-only";
export const NOT_ALLOWED = "permission is denied";

/** Key columns of which each text is one value, so that rows are found by it. */
export const findsByText = ({ class: kind, type }: SqlColumn): boolean =>
  kind === "text" || kind === "integer" || kind === "padded" || /\buuid"?$/.test(type);

const WHOLE = /^-?\d{1,19}$/;
const UUID = /^[\da-f]{8}(-?[\da-f]{4}){3}-?[\da-f]{12}$/i;

/** Whether a text can be a value of such a column at all; another would be refused by the database. */
export const canBe = ({ class: kind }: SqlColumn, text: string): boolean =>
  kind === "integer" ? WHOLE.test(text) : kind === "other" ? UUID.test(text) : true;
