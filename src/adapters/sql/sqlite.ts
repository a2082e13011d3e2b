import { sql } from "kysely";
import type { CellType } from "../../core/index.js";
import { canBe, faultOf, NOT_ALLOWED, wordsOf, VALUE_FORBIDDEN, type ColumnClass, type Dialect, type SqlFault } from "./dialect.js";
import { selectKeys } from "./keys.js";

const TYPES: Readonly<Record<CellType, string>> = {
  text: "TEXT",
  integer: "INTEGER",
  decimal: "NUMERIC",
  number: "REAL",
  yesNo: "BOOLEAN",
  date: "DATE",
  dateTime: "DATETIME",
};

const FAULTS: Readonly<Record<string, readonly [SqlFault["kind"], string]>> = {
  SQLITE_BUSY: ["away", "another process is writing to it"],
  SQLITE_LOCKED: ["away", "another process is writing to it"],
  SQLITE_READONLY: ["rights", "the file is read-only"],
  SQLITE_READONLY_DBMOVED: ["rights", "the file was moved or replaced meanwhile"],
  SQLITE_PERM: ["rights", NOT_ALLOWED],
  SQLITE_CANTOPEN: ["other", "the file cannot be opened"],
  SQLITE_NOTADB: ["other", "the file is not an SQLite database"],
  SQLITE_CORRUPT: ["other", "the file is damaged"],
  SQLITE_FULL: ["other", "the disk is full"],
  SQLITE_ERROR: ["other", "the query has a mistake"],
};

export const sqlite: Dialect = {
  name: "SQLite",
  async columns(db, { schema, name }) {
    // 1 is hidden in a virtual table, 2 and 3 are computed.
    const { rows } = await sql<{
      name: string;
      type: string;
      hidden: unknown;
    }>`SELECT name, type, hidden FROM pragma_table_xinfo(${name}, ${schema ?? "main"}) WHERE hidden <> 1 ORDER BY cid`.execute(db);
    return rows.map((row) => ({
      name: row.name,
      type: row.type.replace(/ GENERATED ALWAYS$/i, ""),
      class: classOf(row.type),
      isComputed: Number(row.hidden) > 1,
    }));
  },
  async uniqueKeys(db, { schema, name }) {
    const { rows: own } = await sql<{
      name: string;
    }>`SELECT name FROM pragma_table_info(${name}, ${schema ?? "main"}) WHERE pk > 0 ORDER BY pk`.execute(db);
    const { rows: indexes } = await sql<{
      name: string;
    }>`SELECT name FROM pragma_index_list(${name}, ${schema ?? "main"}) WHERE "unique" = 1 AND partial = 0`.execute(db);
    const keys = await Promise.all(
      indexes.map(async (index) =>
        (
          await sql<{ name: string | null }>`SELECT name FROM pragma_index_info(${index.name}, ${schema ?? "main"}) ORDER BY seqno`.execute(
            db,
          )
        ).rows.map((row) => row.name ?? ""),
      ),
    );
    return [own.map((row) => row.name), ...keys].filter((key) => key.length > 0 && !key.includes(""));
  },
  asText: (column) => sql`CAST(${column} AS TEXT)`,
  async whyFixed(db, { schema, name }) {
    const { rows } = await sql<{
      type: string;
    }>`SELECT type FROM ${sql.id(schema ?? "main", "sqlite_master")} WHERE name = ${name} AND type = 'view'`.execute(db);
    if (rows.length === 0) return undefined;
    const { rows: instead } =
      await sql`SELECT 1 AS one FROM ${sql.id(schema ?? "main", "sqlite_master")} WHERE type = 'trigger' AND tbl_name = ${name} AND sql LIKE '%INSTEAD OF UPDATE%'`.execute(
        db,
      );
    return instead.length > 0 ? undefined : "it is a view whose rows cannot be changed";
  },
  keyText: (column) => sql`CASE typeof(${column}) WHEN 'blob' THEN hex(${column}) ELSE CAST(${column} AS TEXT) END`,
  keyRaw: (column) => column,
  keyParameter: (value) => sql`${value}`,
  keyIs: (column, of, text) => (canBe(of, text) ? sql`${column} = ${of.class === "integer" ? BigInt(text) : text}` : sql`1 = 0`),
  // Without a type of its own a column holds what was put there: texts are greater than all numbers.
  isAtLeast: (column, _of, text) =>
    sql`${column} >= ${/^-?\d+$/.test(text) ? BigInt(text) : /^-?\d+\.\d+$/.test(text) ? Number(text) : text}`,
  typeFor: (type) => TYPES[type],
  keyType: "TEXT",
  textOf: (value, column) => {
    if (value === null || value === undefined) return "";
    if (column?.class === "boolean" && (typeof value === "bigint" || typeof value === "number"))
      return Number(value) === 1 ? "true" : Number(value) === 0 ? "false" : String(value);
    return value instanceof Uint8Array ? Buffer.from(value).toString("hex") : String(value);
  },
  async update(db, { table, key, columns, rows }) {
    const updated: Record<string, unknown>[] = [];
    for (const row of rows) {
      const set = columns.map((column, at) => sql`${sql.id(column.name)} = ${valueFor(column.class, row.becomes[at]!)}`);
      const holds = [
        ...key.map((column, at) => sql`${sql.id(column.name)} = ${row.key[at]}`),
        ...columns.map((column, at) => sql`CAST(${sql.id(column.name)} AS TEXT) IS ${row.was[at]}`),
      ];
      const own = await sql<
        Record<string, unknown>
      >`UPDATE ${table} AS t SET ${sql.join(set)} WHERE ${sql.join(holds, sql` AND `)} RETURNING ${sql.join(selectKeys(sqlite, key))}`.execute(
        db,
      );
      updated.push(...own.rows);
    }
    return updated;
  },
  async readBack(db, { table, key, columns, rows }) {
    const found: Record<string, unknown>[] = [];
    for (const row of rows) {
      const own = await sql<
        Record<string, unknown>
      >`SELECT ${sql.join([...selectKeys(sqlite, key, "t"), ...columns.map((column) => sql`t.${sql.id(column.name)} AS ${sql.id(column.name)}`)])} FROM ${table} AS t WHERE ${sql.join(
        key.map((column, at) => sql`t.${sql.id(column.name)} = ${row.key[at]}`),
        sql` AND `,
      )}`.execute(db);
      found.push(...own.rows);
    }
    return found;
  },
  fault(error) {
    const { code = "", message = "" } = error as { code?: string; message?: string };
    if (code === "SQLITE_CONSTRAINT_TRIGGER") return { kind: "value", problem: wordsOf(message) };
    if (code.startsWith("SQLITE_CONSTRAINT")) return { kind: "value", problem: VALUE_FORBIDDEN };
    const missing = /^no such (table|column)/.exec(message);
    if (missing) return { kind: "other", problem: `the query names a ${missing[1]} that does not exist` };
    return faultOf(code, FAULTS, "it refused the statement");
  },
};

/** By what the declared type says of itself; the rules are SQLite's own (Datatypes in SQLite, 3.1), with true and false besides. */
function classOf(declared: string): ColumnClass {
  const type = declared.toUpperCase();
  if (/BOOL/.test(type)) return "boolean";
  if (/INT/.test(type)) return "integer";
  if (/CHAR|CLOB|TEXT|JSON/.test(type)) return "text";
  if (/REAL|FLOA|DOUB|NUMERIC|DECIMAL/.test(type)) return "float";
  if (/DATETIME|TIMESTAMP/.test(type)) return "dateTime";
  return type === "DATE" ? "date" : "other";
}

function valueFor(kind: ColumnClass, text: string | null): unknown {
  if (text === null) return null;
  if (kind === "boolean") return text === "true" ? 1 : text === "false" ? 0 : text;
  return kind === "float" && text.trim() !== "" && Number.isFinite(Number(text)) ? Number(text) : text;
}
