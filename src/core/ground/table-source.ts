import * as z from "zod/mini";

/** A table in a file: CSV, JSON Lines, a workbook or an OpenDocument spreadsheet, by its ending. Paths are relative to the project's folder. */
export interface FileSource {
  readonly file: string;
  /** Of a workbook: the sheet by its name. Default: the first that is not hidden. */
  readonly sheet?: string | undefined;
  /** Of a workbook: a defined table, or a named range, by its name, instead of a sheet. */
  readonly table?: string | undefined;
  /** Of a workbook's sheet: the row with the columns' names, from 1. Default: the first row that is not blank. */
  readonly headerRow?: number | undefined;
}

/** What a workbook shows besides what is filled. */
export interface Showing {
  /** `sheet`: a second sheet tells of every filled cell how it stands, and why. */
  readonly states?: "sheet" | undefined;
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

/** The rows of a plan, its columns filled as far as they are. */
export interface PlanRows {
  readonly plan: string;
}

/** Rows made of the items that a plan's column holds, one row for each. */
export interface ItemsSource {
  /** The plan. */
  readonly of: string;
  /** The column of its table that takes a list. */
  readonly column: string;
  /** Columns of its table that each row carries, besides the key. */
  readonly carry?: readonly string[] | undefined;
}

/** One figure of a group of rows; exactly one of the first twelve. Conditions are CEL over `row`. */
export interface FigureSource {
  /** Rows: `all`, or those for which a condition holds. */
  readonly count?: string | undefined;
  /** Share of the group's rows for which a condition holds, 0 to 1. */
  readonly share?: string | undefined;
  /** The group's rows for which a condition holds, as a share of all such rows, 0 to 1. */
  readonly shareOfTable?: string | undefined;
  /** Columns whose numbers are added up, averaged, put in the middle. */
  readonly sum?: string | undefined;
  readonly mean?: string | undefined;
  readonly median?: string | undefined;
  /** Columns whose least or greatest value counts: numbers, or days. */
  readonly min?: string | undefined;
  readonly max?: string | undefined;
  /** How many different values a column has. */
  readonly distinct?: string | undefined;
  /** The most frequent values of a column with their counts, at most `most` (3). */
  readonly top?: string | undefined;
  /** The values of a column, each on its line, at most `most` (200): the first, or with `by` those with the greatest value there. */
  readonly list?: string | undefined;
  readonly by?: string | undefined;
  readonly most?: number | undefined;
  /** Only the rows for which a condition holds. */
  readonly where?: string | undefined;
}

/** Rows made of groups of a plan's rows, with figures computed from them. */
export interface GroupsSource {
  /** The plan. */
  readonly of: string;
  /** The columns whose values make a group. Left out: all rows are one group. */
  readonly by?: string | readonly string[] | undefined;
  /** CEL over `row`: only these rows count. */
  readonly when?: string | undefined;
  readonly figures: Readonly<Record<string, FigureSource>>;
}

/** Rows made of the files of a folder, one for each. */
export interface FolderSource {
  /** The folder, relative to the project. */
  readonly path: string;
  /** Which of its files, as a pattern: `**`, `*`, `?`, `{pdf,docx}`. Default: all of them. */
  readonly files: string;
}

/** How a column's numbers and days are written. */
export interface ColumnWriting {
  /** `comma`: `1.234,56`; `point`: `1,234.56`. Default: found from the column's values. */
  readonly numbers?: "comma" | "point" | undefined;
  /** Of days such as `01/06/2026`: which comes first. Default: found from the column's values. */
  readonly dates?: "dayFirst" | "monthFirst" | undefined;
}

/** How a table's numbers and days are written: those of all columns that are read as such, and of single ones. */
export interface TableWriting extends ColumnWriting {
  readonly columns?: Readonly<Record<string, ColumnWriting>> | undefined;
}

/** Where a table is, and what names its rows. Of rows that are made of another plan's: where they are kept. */
export type TableSource = RowsSource &
  Showing &
  TableWriting & {
    /** The column whose value names a row, or several that do so together. */
    readonly key: string | readonly string[];
    readonly items?: ItemsSource | undefined;
    readonly groups?: GroupsSource | undefined;
    readonly folder?: FolderSource | undefined;
  };

/** Whether a table's rows are made, of another plan's, of files, or of a file that is only read, and kept in a table of their own. */
export const isMade = (table: TableSource): boolean =>
  table.items !== undefined || table.groups !== undefined || table.folder !== undefined || ("file" in table && isReadOnly(table.file));

/** Of a Parquet file only the rows are read; what is filled stands in a table beside it. */
export const isReadOnly = (file: string): boolean => /\.parquet$/i.test(file);

/** Of files with sheets. */
export const isWorkbook = (file: string): boolean => /\.(xls[xm]|ods)$/i.test(file);

/** The column that names a row of a folder. */
export const FOLDER_KEY = "file";

/** What the one group of a whole table is called, and its key's column. */
export const WHOLE_TABLE = { column: "group", value: "all rows" } as const;

const text = z.string().check(z.minLength(1));
const file = {
  file: text,
  sheet: z.optional(text),
  table: z.optional(text),
  headerRow: z.optional(z.int().check(z.gte(1)).check(z.lte(1_048_576))),
};
const database = { database: text, table: z.optional(text), query: z.optional(text) };
const into = { into: z.optional(text) };
const key = { key: z.union([text, z.array(text).check(z.minLength(1))], "Expected a column's name, or a list of them.") };

const WHERE = "Say where the table is: `file: deck-log.csv`, or `database: main` with `table: deck_log`.";
const ONE = z.refine<{ table?: string | undefined; query?: string | undefined }>(
  (value) => (value.table === undefined) !== (value.query === undefined),
  "Say either `table` or `query`.",
);
const INTO = z.refine<{ query?: string | undefined; into?: string | undefined }>(
  (value) => value.into === undefined || value.query !== undefined,
  "`into` belongs to a `query`.",
);
const HEADER = z.refine<FileSource>(
  (value) => value.headerRow === undefined || isWorkbook(value.file),
  "`headerRow` is for workbooks. Remove the rows above the header.",
);
const SHEET = z.refine<FileSource>(
  (value) => value.table === undefined || (value.sheet === undefined && value.headerRow === undefined),
  "A defined table needs neither `sheet` nor `headerRow`.",
);

const STATES = z.refine<FileSource & Showing>(
  (value) => value.states === undefined || /\.xls[xm]$/i.test(value.file),
  "`states` is for workbooks (.xlsx); `yoroshi status PLAN --empty` lists the cells of any table.",
);
const items = z.strictObject({ of: text, column: text, carry: z.optional(z.array(text)) });
const FIGURES = ["count", "share", "shareOfTable", "sum", "mean", "median", "min", "max", "distinct", "top", "list"] as const;
const figure = z
  .strictObject({
    ...(Object.fromEntries(FIGURES.map((name) => [name, z.optional(text)])) as Record<
      (typeof FIGURES)[number],
      z.ZodMiniOptional<typeof text>
    >),
    by: z.optional(text),
    most: z.optional(z.int().check(z.gte(1)).check(z.lte(10_000))),
    where: z.optional(text),
  })
  .check(
    z.refine(
      (value) => FIGURES.filter((name) => value[name] !== undefined).length === 1,
      `A figure is exactly one of ${FIGURES.join(", ")}.`,
    ),
    z.refine((value) => value.by === undefined || value.list !== undefined, "`by` belongs to a `list`."),
    z.refine(
      (value) => value.most === undefined || value.list !== undefined || value.top !== undefined,
      "`most` belongs to a `list` or a `top`.",
    ),
    z.refine(
      (value) => value.where === undefined || (value.count ?? value.share ?? value.shareOfTable) === undefined,
      "`where` is for figures of a column; a count or a share has its own condition.",
    ),
  );
const groups = z.strictObject({
  of: text,
  by: z.optional(z.union([text, z.array(text).check(z.minLength(1))])),
  when: z.optional(text),
  figures: z.record(z.string(), figure),
});
/** Figures by their names. */
export const figuresShape = z.record(z.string(), figure);
const kept = { file: text };
const keptThere = { database: text, table: text };

const NUMBERS = z.optional(z.enum(["comma", "point"], "Expected comma (`1.234,56`) or point (`1,234.56`)."));
const DATES = z.optional(z.enum(["dayFirst", "monthFirst"], "Expected dayFirst or monthFirst."));
const writing = {
  numbers: NUMBERS,
  dates: DATES,
  columns: z.optional(z.record(z.string(), z.strictObject({ numbers: NUMBERS, dates: DATES }))),
};

/** The shape of a source as a file names it. */
export const rowsSourceShape = z.union([z.strictObject(file).check(SHEET, HEADER), z.strictObject(database).check(ONE)], WHERE);

/** The same, or a plan whose rows are meant. */
export const relatedRowsShape = z.union(
  [z.strictObject(file).check(SHEET, HEADER), z.strictObject(database).check(ONE), z.strictObject({ plan: text })],
  `${WHERE.slice(0, -1)}, or \`plan: receipts\` for the rows of a plan.`,
);

const columns = { columns: z.optional(z.catchall(z.object({ name: z.string() }), z.string())) };

/** The shapes of a source with which columns of it are read, and as what. */
export const columnsSourceShapes = [
  z.strictObject({ ...file, ...columns }).check(SHEET, HEADER),
  z.strictObject({ ...database, ...columns }).check(ONE),
] as const;

/** Groups name their rows by themselves. */
const withKey = <T extends { readonly groups: GroupsSource }>(source: T): T & { readonly key: string | readonly string[] } => ({
  ...source,
  key: source.groups.by ?? WHOLE_TABLE.column,
});

/** Files are named by their paths; where the rows are kept is beside the folder, unless it is said. */
function withFolder({
  folder,
  files = "**/*",
  file: own,
  ...rest
}: {
  readonly folder: string;
  readonly files?: string | undefined;
  readonly file?: string | undefined;
  readonly key: typeof FOLDER_KEY;
}): { readonly folder: FolderSource; readonly file: string; readonly key: string } {
  const path = folder.replace(/\/+$/, "");
  return { ...rest, folder: { path, files }, file: own ?? `${path}.csv` };
}

/** The sentence for a table whose rows nothing names. */
export const NO_KEY = "The table needs a `key`: the column whose value names a row, or several that do so together.";

/** Whether what stands for a table names a file or a database, and no key. */
export const isKeyless = (value: unknown): boolean =>
  value !== null &&
  typeof value === "object" &&
  !("key" in value) &&
  !("groups" in value) &&
  ("file" in value || "database" in value || "folder" in value);

/** A source with what names its rows. */
export const tableSourceShape = z.union(
  [
    z.strictObject({ ...file, ...key, ...writing, states: z.optional(z.literal("sheet", "Expected sheet.")) }).check(SHEET, HEADER, STATES),
    z
      .strictObject({ ...database, ...into, ...key, ...writing })
      .check(ONE)
      .check(INTO),
    z.pipe(
      z.strictObject({
        folder: text,
        files: z.optional(text),
        file: z.optional(text),
        key: z.literal(FOLDER_KEY, `The rows of a folder are named by their files: \`key: ${FOLDER_KEY}\`.`),
      }),
      z.transform(withFolder),
    ),
    z.strictObject({ items, ...kept, key: text }),
    z.strictObject({ items, ...keptThere, key: text }),
    z.pipe(z.strictObject({ groups, ...kept }), z.transform(withKey)),
    z.pipe(z.strictObject({ groups, ...keptThere }), z.transform(withKey)),
  ],
  { error: (issue) => (isKeyless(issue.input) ? NO_KEY : WHERE) },
);

/** Whether a source is in a database. */
export const inDatabase = <S extends RowsSource>(source: S): source is Extract<S, DatabaseSource> => "database" in source;

/** Whether the rows of a plan are meant. */
export const ofPlan = <S extends RowsSource>(source: S | PlanRows): source is PlanRows => "plan" in source;

/** What messages call a source. */
export function sourceName(source: RowsSource | PlanRows): string {
  if (ofPlan(source)) return `the plan ${source.plan}`;
  if (inDatabase(source)) return source.table === undefined ? `a query of ${source.database}` : `${source.database}.${source.table}`;
  const part = source.sheet ?? source.table;
  return part === undefined ? source.file : `${source.file} (${part})`;
}
