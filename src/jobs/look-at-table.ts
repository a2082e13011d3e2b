import path from "node:path";
import * as z from "zod";
import {
  guessHeader,
  isWorkbook,
  KeyFinder,
  nearest,
  profileColumns,
  YoroshiError,
  type ColumnProfile,
  type RowSource,
} from "../core/index.js";
import { looseTables, sheetsOf, type DatabaseEntry } from "../project/index.js";
import { defineFreeJob, type JobContext } from "./job.js";
import { count } from "./schemas.js";

/** Where the table is that a project is to be made around. */
export const tablePlace = z.union([
  z.strictObject({
    file: z.string(),
    sheet: z.string().optional(),
    headerRow: z.int().min(1).optional(),
  }),
  z.strictObject({
    /** The environment variable with the database's address. */
    database: z.string(),
    table: z.string(),
    /** Its name in yoroshi.yaml. Default `main`. */
    as: z.string().optional(),
  }),
]);

export type TablePlace = z.output<typeof tablePlace>;

const column = z.object({
  name: z.string(),
  looksLike: z.enum(["text", "choice", "number", "date", "yesNo", "name", "empty"]),
  filled: z.number(),
  distinct: count,
  meanChars: z.number(),
  examples: z.array(z.string()),
  written: z.enum(["comma", "point", "dayFirst", "monthFirst", "unclear"]).optional(),
  /** Of texts: their language as ISO 639-3, where it can be told. */
  language: z.string().optional(),
});

export const tableLook = z.object({
  name: z.string(),
  /** The sheets of a workbook that are in sight, and which one was taken. */
  sheets: z.array(z.string()),
  sheet: z.string().optional(),
  /** The row with the columns' names, where it is not the first that has any; others that could be it. */
  headerRow: z.int().optional(),
  otherHeaders: z.array(z.object({ row: z.int(), names: z.array(z.string()) })),
  columns: z.array(column),
  /** So many rows were looked at. */
  lookedAt: count,
});

export type TableLook = z.output<typeof tableLook>;

/** Rows that are looked at for what stands in the columns. */
const LOOKED_AT = 1_000;
/** What yoroshi.yaml calls a database that was named by its environment variable. */
export const DATABASE = "main";

/** What stands in a table: sheet, header, columns with their kinds and languages. Reads its first rows only. */
export const lookAtTable = defineFreeJob({
  name: "lookAtTable",
  summary: "Looks at a table that no project names yet: its sheet and header, the kind and language of its columns.",
  input: z.strictObject({ folder: z.string(), place: tablePlace }),
  report: tableLook,
  async run({ folder, place }) {
    return (await lookAt(folder, place, (chosen, use) => withRows(folder, chosen, use))).look;
  },
});

type Rows = readonly Readonly<Record<string, string>>[];
/** Opens a place's rows, and closes them whatever happens. */
export type UseRows = <T>(place: TablePlace, use: (source: RowSource) => Promise<T>) => Promise<T>;

/** What stands in a table, with the rows that were looked at. */
export async function lookAt(
  folder: string,
  place: TablePlace,
  useRows: UseRows,
): Promise<{ readonly look: z.input<typeof tableLook>; readonly rows: Rows }> {
  const found = "file" in place ? await chooseSheet(folder, place) : { sheets: [], otherHeaders: [] };
  return useRows({ ...place, ...("file" in place ? chosen(found) : {}) } as TablePlace, async (source) => {
    const columns = await source.columns();
    const rows: Readonly<Record<string, string>>[] = [];
    for await (const some of source.rows()) {
      rows.push(...some.slice(0, LOOKED_AT - rows.length));
      if (rows.length >= LOOKED_AT) break;
    }
    checkTable(source.name, columns, rows.length);
    const profiles = profileColumns(columns, rows);
    return { look: { name: source.name, ...found, columns: await withLanguages(profiles, rows), lookedAt: rows.length }, rows };
  });
}

/** The columns that name every row of a table, the most likely first. Reads all of it. */
export const findKeys = defineFreeJob({
  name: "findKeys",
  summary: "Goes through a whole table and tells which columns name each of its rows.",
  input: z.strictObject({ folder: z.string(), place: tablePlace }),
  report: z.object({ rows: count, candidates: z.array(z.object({ column: z.string(), blank: count })) }),
  async run({ folder, place }, { signal }: JobContext) {
    return keysAt(place, (chosen, use) => withRows(folder, chosen, use), signal);
  },
});

/** Goes through all rows of a place for the columns that name each of them. */
export async function keysAt(
  place: TablePlace,
  useRows: UseRows,
  signal: AbortSignal | undefined,
): Promise<{ rows: number; candidates: { column: string; blank: number }[] }> {
  return useRows(place, async (source) => {
    const finder = new KeyFinder(await source.columns());
    const first: Readonly<Record<string, string>>[] = [];
    for await (const rows of source.rows()) {
      if (signal?.aborted) break;
      finder.add(rows);
      if (first.length < LOOKED_AT) first.push(...rows.slice(0, LOOKED_AT - first.length));
    }
    return { rows: finder.rows, candidates: [...finder.candidates(profileColumns(finder.columns, first))] };
  });
}

/** Rows of a place, closed whatever happens. */
export async function withRows<T>(folder: string, place: TablePlace, use: (source: RowSource) => Promise<T>): Promise<T> {
  const databases: Record<string, DatabaseEntry> = "database" in place ? { [DATABASE]: { url: { env: place.database } } } : {};
  const loose = looseTables(folder, databases, () => undefined);
  try {
    const source =
      "database" in place
        ? await loose.tables.rows({ database: DATABASE, table: place.table })
        : await loose.tables.rows({ ...place, file: path.relative(folder, path.resolve(folder, place.file)), anywhere: true });
    return await use(source);
  } finally {
    await loose.close();
  }
}

interface Chosen {
  readonly sheets: string[];
  readonly sheet?: string;
  readonly headerRow?: number;
  readonly otherHeaders: { row: number; names: string[] }[];
}

const chosen = ({ sheet, headerRow }: Partial<Chosen>): Partial<Chosen> => ({
  ...(sheet === undefined ? {} : { sheet }),
  ...(headerRow === undefined ? {} : { headerRow }),
});

/** The sheet that is meant, or looks most like a table, and its header, also below a title. */
async function chooseSheet(folder: string, { file, sheet, headerRow }: Extract<TablePlace, { file: string }>): Promise<Chosen> {
  if (!isWorkbook(file)) {
    await checkFirstRow(folder, file);
    return { sheets: [], otherHeaders: [] };
  }
  const all = await sheetsOf(folder, file);
  const names = all.map(({ name }) => name);
  if (sheet !== undefined && !names.includes(sheet))
    throw new YoroshiError("notFound", { what: `sheet in ${file}`, name: sheet, near: nearest(sheet, names), known: names });
  const visible = all.filter((one) => one.visible && one.top.length > 0);
  // The one with the widest header, of several the first.
  const widthOf = (one: (typeof all)[number]): number => {
    const guess = guessHeader(one.top);
    return one.top.find(({ row }) => row === guess?.row)?.cells.filter((cell) => cell !== "").length ?? 0;
  };
  const widest = Math.max(0, ...visible.map(widthOf));
  const taken = sheet === undefined ? visible.find((one) => widthOf(one) === widest && widest > 0) : all.find(({ name }) => name === sheet);
  if (!taken)
    throw new YoroshiError("tableBroken", {
      table: file,
      place: "sheets",
      problem: "no sheet of the workbook has a row with columns' names.",
    });
  const guess = guessHeader(taken.top);
  const row = headerRow ?? taken.tables[0]?.headerRow ?? guess?.row;
  const first = taken.top[0]?.row;
  return {
    sheets: visible.map(({ name }) => name),
    ...(names[0] === taken.name && visible.length === 1 ? {} : { sheet: taken.name }),
    // Only where it is not what is taken for it anyway.
    ...(row === undefined || (row === first && headerRow === undefined) || taken.tables.length === 1 ? {} : { headerRow: row }),
    otherHeaders:
      headerRow !== undefined || taken.tables.length > 0 || row === first
        ? []
        : (guess?.others ?? []).map((other) => ({
            row: other,
            names: taken.top
              .find((one) => one.row === other)!
              .cells.filter((cell) => cell !== "")
              .slice(0, 5),
          })),
  };
}

/** Of a CSV file the names stand in its first row; where a title stands above them, it is said what to do. */
async function checkFirstRow(folder: string, file: string): Promise<void> {
  const loose = looseTables(folder, {}, () => undefined);
  try {
    const top = (await (await loose.tables.table({ file: path.relative(folder, path.resolve(folder, file)), key: "" })).topRows?.()) ?? [];
    const guess = guessHeader(top);
    const row = top.find((one) => one.row === guess?.row);
    if (row && guess!.row > 1 && row.cells.filter((cell) => cell !== "").length > 1)
      throw new YoroshiError("tableBroken", {
        table: file,
        place: "row 1",
        problem: `the columns' names seem to stand in row ${guess!.row} (${row.cells
          .filter((cell) => cell !== "")
          .slice(0, 4)
          .join(", ")}). Remove the rows above them, or save it as a workbook.`,
      });
  } finally {
    await loose.close();
  }
}

function checkTable(name: string, columns: readonly string[], rows: number): void {
  const broken = (problem: string): YoroshiError => new YoroshiError("tableBroken", { table: name, place: "row 1", problem });
  const named = columns.filter((column) => column !== "");
  if (named.length === 0) throw broken("there is no row with the columns' names.");
  if (rows === 0) throw broken(`below the columns' names (${named.slice(0, 5).join(", ")}) stands no row.`);
  const [only] = named;
  if (named.length === 1 && /[;\t|]/.test(only!))
    throw broken(
      `everything stands in one column, \`${only!.slice(0, 60)}\`. Save it as CSV with commas, semicolons or tabs between the columns.`,
    );
}

/** Languages that are told apart by their words, of columns with texts. */
async function withLanguages(
  profiles: readonly ColumnProfile[],
  rows: readonly Readonly<Record<string, string>>[],
): Promise<z.input<typeof column>[]> {
  const { franc } = await import("franc-min");
  return profiles.map(({ examples, written, ...profile }) => {
    const text =
      profile.looksLike === "text"
        ? rows
            .map((row) => row[profile.name] ?? "")
            .join("\n")
            .slice(0, 4_000)
        : "";
    const language = text.length > 200 ? franc(text) : "und";
    return {
      ...profile,
      examples: [...examples],
      ...(written === undefined ? {} : { written }),
      ...(language === "und" ? {} : { language }),
    };
  });
}
