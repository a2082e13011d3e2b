import { existsSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { xlsxRows } from "../../src/adapters/xlsx/index.js";
import { postgresDatabase, sqliteDatabase } from "./databases.js";
import { workbook } from "./workbook.js";

export const PLACES = ["csv", "xlsx", "sqlite", "postgres"] as const;
export type PlaceKind = (typeof PLACES)[number];
type Rows = Record<string, string>[];

/** Where the same rows stand as another kind of table. */
export interface Place {
  /** The plan's `table`, as YAML. */
  readonly table: string;
  /** Further lines of yoroshi.yaml. */
  readonly project: string;
  /** Options of `yoroshi fill` that it needs. */
  readonly options: readonly string[];
  /** The rows as they stand after a fill. */
  result(): Promise<Rows>;
  /** The source's own content, which must stay; all columns but those that are filled, for a database. */
  source(): Promise<unknown>;
  close(): Promise<void>;
}

/** Puts the rows of a project's CSV file into a table of another kind. */
export async function place(kind: PlaceKind, folder: string, csv: string, key: string): Promise<Place> {
  const text = readFileSync(path.join(folder, csv), "utf8");
  const records = parse(text, { relax_column_count: true }) as string[][];
  const [columns = [], ...rows] = records;
  if (kind === "csv") {
    return {
      table: `{ file: ${csv}, key: ${key} }`,
      project: "",
      options: [],
      close: async () => undefined,
      source: async () => readFileSync(path.join(folder, csv), "utf8"),
      result: async () => parse(readFileSync(path.join(folder, csv.replace(/\.csv$/, ".filled.csv")), "utf8"), { columns: true }) as Rows,
    };
  }
  if (kind === "xlsx") {
    const file = path.join(folder, "rows.xlsx");
    writeFileSync(file, workbook(records));
    return {
      table: `{ file: rows.xlsx, key: ${key} }`,
      project: "",
      options: [],
      close: async () => undefined,
      source: async () => readFileSync(file),
      async result() {
        const found: Rows = [];
        for await (const some of xlsxRows(path.join(folder, "rows.filled.xlsx"), "rows.filled.xlsx").rows()) found.push(...some);
        return found;
      },
    };
  }
  const base = kind === "sqlite" ? sqliteDatabase() : await postgresDatabase();
  const quoted = (name: string): string => `"${name}"`;
  const value = (cell: string): string => `'${cell.replaceAll("'", "''")}'`;
  await base.run(
    `CREATE TABLE log (${columns.map((column) => `${quoted(column)} TEXT${column === key ? " PRIMARY KEY" : ""}`).join(", ")})`,
  );
  for (let at = 0; at < rows.length; at += 200)
    await base.run(
      `INSERT INTO log VALUES ${rows
        .slice(at, at + 200)
        .map((cells) => `(${columns.map((_, index) => value(cells[index] ?? "")).join(", ")})`)
        .join(", ")}`,
    );
  const file = "file" in base.place ? path.join(folder, "log.sqlite") : undefined;
  if (file && "file" in base.place && !existsSync(file)) writeFileSync(file, readFileSync(base.place.file));
  if ("url" in base.place) process.env["DATABASE_URL"] = base.place.url;
  const readOwn = async (sql: string): Promise<Rows> => {
    const found = file ? await readSqlite(file, sql) : await base.run(sql);
    return found.map((row) => Object.fromEntries(Object.entries(row).map(([name, cell]) => [name, cell === null ? "" : String(cell)])));
  };
  return {
    table: `{ database: main, table: log, key: ${key} }`,
    project: `databases:\n  main: ${file ? "{ file: log.sqlite }" : `{ url: { env: DATABASE_URL } }`}\n`,
    options: ["--create-columns"],
    result: () => readOwn(`SELECT * FROM log ORDER BY ${quoted(key)}`),
    source: () => readOwn(`SELECT ${columns.map(quoted).join(", ")} FROM log ORDER BY ${quoted(key)}`),
    close: async () => {
      delete process.env["DATABASE_URL"];
      await base.close();
    },
  };
}

async function readSqlite(file: string, sql: string): Promise<Record<string, unknown>[]> {
  const { default: Sqlite } = await import("better-sqlite3");
  const db = new Sqlite(file, { timeout: 5_000 });
  try {
    return db.prepare(sql).all() as Record<string, unknown>[];
  } finally {
    db.close();
  }
}
