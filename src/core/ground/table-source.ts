import * as z from "zod/mini";

/** A table in a file: CSV, JSON Lines or a workbook, by its ending. Paths are relative to the project's folder. */
export interface FileSource {
  readonly file: string;
  /** Of a workbook: the sheet by its name. Default: the first that is not hidden. */
  readonly sheet?: string | undefined;
  /** Of a workbook: a defined table by its name, instead of a sheet. */
  readonly table?: string | undefined;
  /** Of a workbook's sheet: the row with the columns' names, from 1. Default: the first row that is not blank. */
  readonly headerRow?: number | undefined;
}

/** A table of a database, or what a query gives. */
export interface DatabaseSource {
  /** The database by its name in yoroshi.yaml. */
  readonly database: string;
  /** The table, with its schema before it where it needs one: `ops.deck_log`. */
  readonly table?: string | undefined;
  /** SELECT, instead of a table. */
  readonly query?: string | undefined;
  /** Of a query: the table that takes what is filled, with the same key columns. */
  readonly into?: string | undefined;
}

/** Where a table is. */
export type RowsSource = FileSource | DatabaseSource;

/** Where a table is, and what names its rows. */
export type TableSource = RowsSource & {
  /** The column whose value names a row, or several that do so together. */
  readonly key: string | readonly string[];
};

const text = z.string().check(z.minLength(1));
const file = { file: text, sheet: z.optional(text), table: z.optional(text), headerRow: z.optional(z.int().check(z.gte(1)).check(z.lte(1_048_576))) };
const database = { database: text, table: z.optional(text), query: z.optional(text) };
const into = { into: z.optional(text) };
const key = { key: z.union([text, z.array(text).check(z.minLength(1))], "Expected a column's name, or a list of them.") };

const WHERE = "Say where the table is: `file: deck-log.csv`, or `database: main` with `table: deck_log`.";
const ONE = z.refine<{ table?: string | undefined; query?: string | undefined }>((value) => (value.table === undefined) !== (value.query === undefined), "Say either `table` or `query`.");
const INTO = z.refine<{ query?: string | undefined; into?: string | undefined }>((value) => value.into === undefined || value.query !== undefined, "`into` belongs to a `query`.");
const SHEET = z.refine<FileSource>((value) => value.table === undefined || (value.sheet === undefined && value.headerRow === undefined), "A defined table needs neither `sheet` nor `headerRow`.");

/** The shape of a source as a file names it. */
export const rowsSourceShape = z.union([z.strictObject(file).check(SHEET), z.strictObject(database).check(ONE)], WHERE);

const columns = { columns: z.optional(z.catchall(z.object({ name: z.string() }), z.string())) };

/** The shapes of a source with which columns of it are read, and as what. */
export const columnsSourceShapes = [z.strictObject({ ...file, ...columns }).check(SHEET), z.strictObject({ ...database, ...columns }).check(ONE)] as const;

/** A source with what names its rows. */
export const tableSourceShape = z.union([z.strictObject({ ...file, ...key }).check(SHEET), z.strictObject({ ...database, ...into, ...key }).check(ONE).check(INTO)], WHERE);

/** Whether a source is in a database. */
export const inDatabase = <S extends RowsSource>(source: S): source is Extract<S, DatabaseSource> => "database" in source;

/** What messages call a source. */
export function sourceName(source: RowsSource): string {
  if (inDatabase(source)) return source.table === undefined ? `a query of ${source.database}` : `${source.database}.${source.table}`;
  const part = source.sheet ?? source.table;
  return part === undefined ? source.file : `${source.file} (${part})`;
}
