import { sql } from "kysely";
import type { CellType } from "../../core/index.js";
import {
  canBe,
  faultOf,
  NOT_ALLOWED,
  READ_ONLY,
  wordsOf,
  VALUE_FORBIDDEN,
  VALUE_OUT_OF_RANGE,
  VALUE_TOO_LONG,
  VALUE_UNFIT,
  type ColumnClass,
  type Dialect,
  type SqlFault,
  type TableName,
} from "./dialect.js";
import { selectKeys } from "./keys.js";

const CLASSES: Readonly<Record<string, ColumnClass>> = {
  int2: "integer",
  int4: "integer",
  int8: "integer",
  numeric: "decimal",
  money: "other",
  float4: "single",
  float8: "float",
  bool: "boolean",
  date: "date",
  timestamp: "dateTime",
  timestamptz: "dateTime",
  text: "text",
  varchar: "text",
  bpchar: "padded",
  bytea: "binary",
  citext: "text",
  name: "text",
};

const TYPES: Readonly<Record<CellType, string>> = {
  text: "text",
  integer: "bigint",
  decimal: "numeric",
  number: "double precision",
  yesNo: "boolean",
  date: "date",
  dateTime: "timestamp",
};

const FAULTS: Readonly<Record<string, readonly [SqlFault["kind"], string]>> = {
  "57P01": ["away", "it is being shut down"],
  "57P02": ["away", "it crashed"],
  "57P03": ["away", "it is starting up"],
  "08000": ["away", "the connection broke off"],
  "08003": ["away", "the connection broke off"],
  "08006": ["away", "the connection broke off"],
  "08001": ["away", "it cannot be reached"],
  "53300": ["away", "it has too many connections"],
  "40001": ["away", "another transaction was in the way"],
  "40P01": ["away", "another transaction was in the way"],
  "55P03": ["away", "rows are locked"],
  "22001": ["value", VALUE_TOO_LONG],
  "22003": ["value", VALUE_OUT_OF_RANGE],
  "22P02": ["value", VALUE_UNFIT],
  "22007": ["value", VALUE_UNFIT],
  "22008": ["value", VALUE_UNFIT],
  "42804": ["value", VALUE_UNFIT],
  "22021": ["value", "the value has characters that the database cannot keep"],
  "22P05": ["value", "the value has characters that the database cannot keep"],
  "23502": ["value", VALUE_FORBIDDEN],
  "23503": ["value", VALUE_FORBIDDEN],
  "23505": ["value", VALUE_FORBIDDEN],
  "23514": ["value", VALUE_FORBIDDEN],
  "23P01": ["value", VALUE_FORBIDDEN],
  "428C9": ["value", "the column is computed by the database"],
  "42501": ["rights", NOT_ALLOWED],
  "25006": ["other", READ_ONLY],
  "28P01": ["other", "user or password are wrong"],
  "28000": ["other", "the user is not let in"],
  "3D000": ["other", "there is no database of that name"],
  "42601": ["other", "the query has a mistake in its syntax"],
  "42P01": ["other", "the query names a table that does not exist"],
  "42703": ["other", "the query names a column that does not exist"],
};

export const postgres: Dialect = {
  name: "PostgreSQL",
  async columns(db, table) {
    // The type by its own name, so without a length: a cast to varchar(5) would cut in silence, and `character` is character(1); an
    // assignment refuses.
    const { rows } = await sql<{ name: string; type: string; base: string; computed: string; scale: string | null }>`
      SELECT a.attname AS name, CASE WHEN t.typelem <> 0 AND t.typlen = -1 THEN format_type(a.atttypid, NULL) ELSE format('%I.%I', n.nspname, t.typname) END AS type, t.typname AS base,
             (a.attgenerated <> '' OR a.attidentity = 'a') AS computed,
             CASE WHEN t.typname = 'numeric' AND a.atttypmod > 0 THEN (a.atttypmod - 4) & 65535 END AS scale
      FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid JOIN pg_namespace n ON n.oid = t.typnamespace
      WHERE a.attrelid = to_regclass(${quoted(table)}) AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum`.execute(db);
    return rows.map(({ name, type, base, computed, scale }) => ({
      name,
      type,
      class: CLASSES[base] ?? "other",
      scale: scale === null ? undefined : Number(scale),
      isComputed: computed === "true",
    }));
  },
  async uniqueKeys(db, table) {
    const { rows } = await sql<{ columns: string }>`
      SELECT (SELECT json_agg(a.attname) FROM unnest(i.indkey::int[]) AS k JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k)::text AS columns
      FROM pg_index i WHERE i.indrelid = to_regclass(${quoted(table)}) AND i.indisunique AND i.indpred IS NULL AND i.indexprs IS NULL`.execute(
      db,
    );
    return rows.map(({ columns }) => JSON.parse(columns) as string[]);
  },
  asText: (column) => sql`${column}::text`,
  async whyFixed(db, table) {
    // Bit 2 of its events: UPDATE.
    const { rows } = await sql<{
      kind: string;
      updatable: string;
    }>`SELECT c.relkind AS kind, (pg_relation_is_updatable(c.oid, true) & 4 = 4) AS updatable FROM pg_class c WHERE c.oid = to_regclass(${quoted(table)})`.execute(
      db,
    );
    const kind = rows[0]?.kind;
    if (kind === "m") return "it is a materialized view";
    return kind === "v" && rows[0]!.updatable !== "true" ? "it is a view whose rows cannot be changed" : undefined;
  },
  keyText: (column) => sql`${column}::text`,
  keyParameter: (value) => sql`${value}`,
  keyIs: (column, of, text) => (canBe(of, text) ? sql`${column} = ${text}::text::${sql.raw(of.type)}` : sql`1 = 0`),
  isAtLeast: (column, of, text) => sql`${column} >= ${text}::text::${sql.raw(of.type)}`,
  typeFor: (type) => TYPES[type],
  keyType: "text",
  textOf: (value, column) => {
    if (value === null || value === undefined) return "";
    // `2026-03-01 10:00:00+13` as ISO 8601 has it.
    if (column?.class === "padded") return String(value).trimEnd();
    return column?.class === "dateTime" ? isoTime(String(value)) : String(value);
  },
  async update(db, { table, key, columns, rows }) {
    const arrays = [
      ...key.map((column, index) => sql`${rows.map((row) => row.key[index])}::text[]::${sql.raw(column.type)}[]`),
      ...columns.map((column, index) => sql`${rows.map((row) => row.becomes[index])}::text[]::${sql.raw(column.type)}[]`),
      ...columns.map((_, index) => sql`${rows.map((row) => row.was[index])}::text[]`),
    ];
    const names = [
      ...key.map((_, index) => `k${index}`),
      ...columns.map((_, index) => `n${index}`),
      ...columns.map((_, index) => `w${index}`),
    ];
    const { rows: updated } = await sql<Record<string, unknown>>`
      UPDATE ${table} AS t SET ${sql.join(columns.map((column, index) => sql`${sql.id(column.name)} = v.${sql.id(`n${index}`)}`))}
      FROM unnest(${sql.join(arrays)}) AS v(${sql.join(names.map((name) => sql.id(name)))})
      WHERE ${sql.join(
        [
          ...key.map((column, index) => sql`t.${sql.id(column.name)} = v.${sql.id(`k${index}`)}`),
          ...columns.map((column, index) => sql`t.${sql.id(column.name)}::text IS NOT DISTINCT FROM v.${sql.id(`w${index}`)}`),
        ],
        sql` AND `,
      )} RETURNING ${sql.join(selectKeys(postgres, key, "t"))}`.execute(db);
    return updated;
  },
  async readBack(db, { table, key, columns, rows }) {
    const arrays = key.map((column, index) => sql`${rows.map((row) => row.key[index])}::text[]::${sql.raw(column.type)}[]`);
    const names = key.map((_, index) => sql.id(`k${index}`));
    const { rows: found } = await sql<Record<string, unknown>>`
      SELECT ${sql.join([...selectKeys(postgres, key, "t"), ...columns.map((column) => sql`t.${sql.id(column.name)} AS ${sql.id(column.name)}`)])}
      FROM ${table} AS t JOIN unnest(${sql.join(arrays)}) AS v(${sql.join(names)}) ON ${sql.join(
        key.map((column, index) => sql`t.${sql.id(column.name)} = v.${sql.id(`k${index}`)}`),
        sql` AND `,
      )}`.execute(db);
    return found;
  },
  fault(error) {
    const { code = "", message = "" } = error as { code?: string; message?: string };
    if (
      /^Connection terminated|timeout exceeded when trying to connect|not queryable|Client was closed|connection is closed/i.test(message)
    )
      return { kind: "away", problem: "the connection broke off" };
    // What a trigger raises, in its own words; of all else that a value does wrong, what is known of it.
    if (code.startsWith("P0")) return { kind: "value", problem: wordsOf(message) };
    if (/^2[23]/.test(code) && !(code in FAULTS)) return { kind: "value", problem: VALUE_FORBIDDEN };
    return faultOf(code, FAULTS, "it refused the statement");
  },
};

function quoted({ schema, name }: TableName): string {
  return [schema, name].flatMap((part) => (part === undefined ? [] : [`"${part.replaceAll('"', '""')}"`])).join(".");
}

/** The database's own form of a time as ISO 8601. */
export function isoTime(text: string): string {
  return text.replace(/^(\d{4,}-\d\d-\d\d) /, "$1T").replace(/([+-]\d\d)$/, "$1:00");
}
