import { type Remark } from "../ground/index.js";
/** A row as it came from its table: text by column. Its key is unique within the table. */
export interface Row {
  readonly key: string;
  /** Where it stands, for messages: `line 12`. */
  readonly place: string;
  readonly values: Readonly<Record<string, string>>;
  /** The columns that are known to be numbers, for conditions. */
  readonly numbers?: Readonly<Record<string, number>> | undefined;
  /** What a person should know of a value, by column: that it leaves something out. */
  readonly notes?: Readonly<Record<string, Remark>> | undefined;
  /** Why the row cannot be used: a doubled key, cells that do not match the header. */
  readonly problem?: string | undefined;
  /** Its key, where an earlier row has it, too. */
  readonly ownKey?: string | undefined;
}

/** Some rows in the table's order, and how much of the table has been read with them (0 to 1). */
export interface Chunk {
  readonly rows: readonly Row[];
  readonly share: number;
}

/** What the values of a column are, for tables whose columns or cells have types. A `decimal` is kept exactly. */
export const CELL_TYPES = ["text", "integer", "decimal", "number", "yesNo", "date", "dateTime"] as const;
export type CellType = (typeof CELL_TYPES)[number];

/** A column that is written. */
export interface TargetColumn {
  readonly name: string;
  /** Default `text`. */
  readonly type?: CellType | undefined;
  /** A model's own words stand in it, so that they could be taken for a formula. */
  readonly freeText: boolean;
}

/** What a cell takes: text, a number, true or false. */
export type CellValue = string | number | boolean;

/** A value for a cell; `asIs` is a person's own text, written back as they wrote it. */
export type CellOut = CellValue | { readonly asIs: string };

/** What stands in the columns of one row where results go, as text; columns that do not exist yet are left out. */
export interface StandingRow {
  readonly key: string;
  readonly values: Readonly<Record<string, string>>;
}

/**
 * Gives the cells of rows by key, in the order of the keys; `undefined` leaves a row as it is. A table that others may
 * change at any moment also gives what stands there now, so that a person's change is seen before it is written over.
 */
export type CellsOf = (
  keys: readonly string[],
  standing?: readonly StandingRow[],
) => Promise<readonly (Readonly<Record<string, CellOut>> | undefined)[]>;

/** Rows that go and come while a table is written whose rows Yoroshi makes. */
export interface Growth {
  /** Whether a row that the table has goes, with all that stands in it and what its cells would become. */
  goes(row: StandingRow, cells: Readonly<Record<string, CellOut>> | undefined): boolean;
  /** The rows that the table lacks, in order, with the values of their key columns; asked for once `goes` saw all that it has. */
  added(): AsyncIterable<readonly StandingRow[]>;
}

/** How a cell stands, and why, where that is not simply filled. */
export interface ShownState {
  readonly state: string;
  readonly why?: string | undefined;
}

/** Gives how the cells of rows stand, by key and column. */
export type StatesOf = (keys: readonly string[]) => Promise<readonly Readonly<Record<string, ShownState>>[]>;

/** Rows that did not take their values for one reason. */
export interface Refusal {
  readonly rows: number;
  /** The first few of them. */
  readonly keys: readonly string[];
  readonly columns: readonly string[];
  readonly problem: string;
}

/** What is written besides cells. */
export interface Beside {
  readonly growth?: Growth | undefined;
  /** Given to a table that shows states. */
  readonly statesOf?: StatesOf | undefined;
  /** Somebody else has changed what stands since it was last written, or who wrote it is not known. */
  readonly touched?: boolean | undefined;
  /** Values that a person wrote may be written over. */
  readonly givesUp?: boolean | undefined;
  /** Told of rows that did not take their values, once all others are written. Left out: that is an error, `cellsRefused`. */
  readonly onRefused?: ((refusals: readonly Refusal[]) => void) | undefined;
}

/** A row of a file as it stands. */
export interface TopRow {
  readonly row: number;
  readonly cells: readonly string[];
}

/**
 * The port to a table: rows out in a stream, cells in by key. A table never changes its source before the whole
 * result is ready, and touches only the named columns.
 */
export interface Table {
  /** For messages. */
  readonly name: string;
  /** Where results go, for messages. */
  readonly target: string;
  /** Which part of the target is written, where it has several: a sheet of a workbook. */
  readonly part?: string | undefined;
  /** Nothing but the rows themselves says that a key stands in one row only. */
  readonly keysMayRepeat?: boolean | undefined;
  /** It gives the rows of these keys alone: a part of a table. */
  readonly onlyKeys?: ReadonlySet<string> | undefined;
  /** The same table with the rows of some keys alone, where finding them costs less than reading all; `undefined` where it does not. */
  rowsOnly?(keys: readonly string[]): Promise<Table | undefined>;
  /** Results go into a file of their own that began as a copy of the source. */
  readonly ownResult?: boolean | undefined;
  /** The column whose value names a row; more of them name it together. */
  readonly keyColumns: readonly string[];
  /** The columns of the source, in order. Throws when the table cannot be read. */
  columns(): Promise<readonly string[]>;
  /** The first rows of a file from its top, where a header that stands below a title is looked for. */
  topRows?(): Promise<readonly TopRow[]>;
  /** All rows in a steady order. */
  read(): AsyncIterable<Chunk>;
  /** What now stands in the columns where results go, as text, by key; nothing where they do not exist yet. */
  standing(columns: readonly string[]): AsyncIterable<readonly StandingRow[]>;
  /** A mark that changes when anybody changes what `standing` reads; `undefined` where there is nothing yet. */
  standingMark(): Promise<string | undefined>;
  /** A mark that changes when the source changes; `undefined` where that cannot be told. */
  sourceMark(): Promise<string | undefined>;
  /**
   * Writes columns: asks for the cells of every row, keeps everything else. Returns the new `standingMark`. With `growth`
   * rows go and come, too; a table that cannot do that says so in `checkWritable`.
   */
  write(columns: readonly TargetColumn[], cellsOf: CellsOf, beside?: Beside): Promise<string | undefined>;
  /** Whether it shows how its cells stand, beside them. */
  readonly showsStates?: boolean | undefined;
  /** Of a table whose columns must be there before they are written: the statements that would add those it lacks. */
  missingColumns?(columns: readonly TargetColumn[]): Promise<readonly string[]>;
  /** Adds the columns that it lacks. */
  createColumns?(columns: readonly TargetColumn[]): Promise<void>;
  /** Throws when the columns could not be written, changing nothing; where it can be told beforehand. */
  checkWritable?(columns: readonly TargetColumn[]): Promise<void>;
  /** The text that `standing` gives for a value once it is written. */
  asWritten(column: TargetColumn, value: CellValue): string;
}
