import { sql } from "kysely";
import { joinKey, keyColumnsOf, YoroshiError, type KeyColumns } from "../../core/index.js";
import { APPLICATION, type Database } from "./database.js";
import type { SqlColumn } from "./dialect.js";
import { selectKeys } from "./keys.js";
import { tableName } from "./sql-table.js";
import { keyOf } from "./write-rows.js";

/** A table of a database whose changes are looked for. */
export interface ChangingTable {
  /** With its schema before it where it needs one. */
  readonly table: string;
  readonly key: KeyColumns;
}

/** The channel on which changes of a table are told. */
export function channelOf(table: string): string {
  const name = `yoroshi_${tableName(table).schema ?? ""}_${tableName(table).name}`.replace(/_+/g, "_");
  // PostgreSQL cuts names at 63 bytes.
  return name.length <= 60 ? name : `${name.slice(0, 50)}_${name.length}`;
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;
const identifier = (name: string): string => `"${name.replaceAll('"', '""')}"`;
/** With more rows than this in one statement, it is told that any may have changed. */
const MOST_TOLD = 200;
/** A notice takes 8,000 bytes. */
const MOST_BYTES = 7_500;

/**
 * The statements by which a table's owner lets it tell of its changes: a function that all tables share, and three triggers. What Yoroshi
 * writes itself is not told.
 */
export function tellingStatements({ table, key }: ChangingTable): string[] {
  const { schema, name } = tableName(table);
  const place = [...(schema === undefined ? [] : [schema]), name].map(identifier).join(".");
  const given = [channelOf(table), ...keyColumnsOf(key)].map(quoted).join(", ");
  const trigger = (what: "insert" | "update" | "delete", rows: string): string =>
    `CREATE OR REPLACE TRIGGER yoroshi_tell_${what} AFTER ${what.toUpperCase()} ON ${place} REFERENCING ${rows} FOR EACH STATEMENT EXECUTE FUNCTION yoroshi_tell(${given})`;
  return [
    `CREATE OR REPLACE FUNCTION yoroshi_tell() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  told text[];
BEGIN
  -- What Yoroshi writes itself is no news.
  IF current_setting('application_name', true) = '${APPLICATION}' THEN RETURN NULL; END IF;
  IF TG_OP = 'INSERT' THEN
    SELECT array_agg(DISTINCT k.key) INTO told FROM (SELECT to_jsonb(r) AS r FROM new_rows r LIMIT ${MOST_TOLD + 1}) x,
      LATERAL (SELECT jsonb_object_agg(c, x.r ->> c)::text AS key FROM unnest(TG_ARGV[1:]) AS a(c)) k;
  ELSIF TG_OP = 'DELETE' THEN
    SELECT array_agg(DISTINCT k.key) INTO told FROM (SELECT to_jsonb(r) AS r FROM old_rows r LIMIT ${MOST_TOLD + 1}) x,
      LATERAL (SELECT jsonb_object_agg(c, x.r ->> c)::text AS key FROM unnest(TG_ARGV[1:]) AS a(c)) k;
  ELSE
    SELECT array_agg(DISTINCT k.key) INTO told FROM ((SELECT to_jsonb(r) AS r FROM new_rows r LIMIT ${MOST_TOLD + 1})
      UNION ALL (SELECT to_jsonb(r) AS r FROM old_rows r LIMIT ${MOST_TOLD + 1})) x,
      LATERAL (SELECT jsonb_object_agg(c, x.r ->> c)::text AS key FROM unnest(TG_ARGV[1:]) AS a(c)) k;
  END IF;
  IF told IS NULL THEN RETURN NULL; END IF;
  -- Too many to be named one by one: any may have changed.
  IF cardinality(told) > ${MOST_TOLD} THEN
    PERFORM pg_notify(TG_ARGV[0], '');
  ELSE
    PERFORM pg_notify(TG_ARGV[0], CASE WHEN octet_length(one) > ${MOST_BYTES} THEN '' ELSE one END) FROM unnest(told) AS one;
  END IF;
  RETURN NULL;
END $$`,
    trigger("insert", "NEW TABLE AS new_rows"),
    trigger("update", "OLD TABLE AS old_rows NEW TABLE AS new_rows"),
    trigger("delete", "OLD TABLE AS old_rows"),
  ];
}

/** Whether a table has the triggers by which it tells of its changes, all three of them and switched on. */
export async function tellsOfChanges(database: Database, table: string): Promise<boolean> {
  if (!database.hear) return false;
  const { schema, name } = tableName(table);
  const place = [...(schema === undefined ? [] : [schema]), name].map(identifier).join(".");
  const rows = await database.patiently(
    async (db) =>
      (
        await sql<{ n: unknown }>`SELECT count(*) AS n FROM pg_trigger WHERE tgrelid = to_regclass(${place})
          AND tgname LIKE ${"yoroshi\\_tell\\_%"} AND tgenabled <> 'D'`.execute(db)
      ).rows,
  );
  return Number(rows[0]?.n ?? 0) === 3;
}

/**
 * The key that a table tells; `undefined` where it says that any may have changed, or tells other columns than those that name our rows: a
 * table has one set of triggers, whichever plan they were printed for.
 */
export function keyTold(payload: string, key: KeyColumns): string | undefined {
  if (payload === "") return undefined;
  try {
    const told = JSON.parse(payload) as Readonly<Record<string, string | null>>;
    const own = keyColumnsOf(key);
    if (!own.every((column) => typeof told[column] === "string")) return undefined;
    const joined = joinKey(own.map((column) => told[column]!));
    return joined === "" ? undefined : joined;
  } catch {
    return undefined;
  }
}

/** How far a growing column has been looked through: its greatest value, and the rows that have it. */
export interface Reached {
  readonly value: string;
  /** `undefined` where so many rows have it that they are not told apart: those that come with it later are found by a whole look. */
  readonly keys: ReadonlySet<string> | undefined;
}

/** The rows behind what was reached; `any` where they are too many of one value to be named. */
export interface Grown {
  readonly keys: readonly string[] | "any";
  readonly reached: Reached | undefined;
}

const PAGE_ROWS = 5_000;

/**
 * The rows whose growing column has passed what was reached, with what is reached by them.
 *
 * @param before `undefined` for the first look: it only tells how far the column is.
 */
export async function grownRows(
  database: Database,
  { table, key, by }: ChangingTable & { readonly by: string },
  before: Reached | undefined,
): Promise<Grown> {
  const { schema, name } = tableName(table);
  const from = sql.id(...(schema === undefined ? [] : [schema]), name);
  const rights = `SELECT on ${table}`;
  const { dialect } = database;
  const columns = await database.patiently((db) => dialect.columns(db, tableName(table)), rights);
  const column = columnOf(columns, by, table);
  const keys = keyColumnsOf(key).map((one) => columnOf(columns, one, table));
  const value = sql`${dialect.keyText(sql.id("y", by), column.class)}`;
  const select = sql.join([...selectKeys(dialect, keys, "y"), sql`${value} AS yoroshi_by`]);
  const behind = ({ value: least, keys: seen }: Reached): Promise<Record<string, unknown>[]> => {
    const reachedIt = dialect.isAtLeast(sql.id("y", by), column, least);
    const where = seen ? reachedIt : sql`${reachedIt} AND ${value} <> ${least}`;
    return database.patiently(
      async (db) =>
        (
          await sql<Record<string, unknown>>`SELECT ${select} FROM ${from} AS y WHERE ${where}
            ORDER BY ${sql.id("y", by)}, ${sql.join(keys.map((one) => sql.id("y", one.name)))} LIMIT ${sql.lit(PAGE_ROWS)}`.execute(db)
        ).rows,
      rights,
    );
  };
  if (!before) {
    const [newest] = await database.patiently(
      async (db) =>
        (
          await sql<
            Record<string, unknown>
          >`SELECT ${select} FROM ${from} AS y WHERE ${sql.id("y", by)} IS NOT NULL ORDER BY ${sql.id("y", by)} DESC LIMIT 1`.execute(db)
        ).rows,
      rights,
    );
    return { keys: [], reached: newest && { value: String(newest["yoroshi_by"]), keys: new Set() } };
  }
  const found = new Set<string>();
  let isAny = false;
  let reached = before;
  for (;;) {
    const rows = await behind(reached);
    let at = reached.value;
    let seen = new Set(reached.keys);
    let isNew = false;
    for (const row of rows) {
      const one = keyOf(keyColumnsOf(key), row);
      const now = String(row["yoroshi_by"]);
      if (now !== at) [at, seen] = [now, new Set()];
      if (seen.has(one)) continue;
      seen.add(one);
      isNew = true;
      if (one !== "") found.add(one);
    }
    // A page that is full of what is known: more rows have this one value than a page takes.
    const isMany = rows.length === PAGE_ROWS && !isNew;
    isAny ||= isMany;
    reached = isNew || isMany ? { value: at, keys: isMany ? undefined : seen } : reached;
    if (rows.length < PAGE_ROWS) return { keys: isAny ? "any" : [...found], reached };
  }
}

function columnOf(columns: readonly SqlColumn[], name: string, table: string): SqlColumn {
  const found = columns.find((column) => column.name === name);
  if (found) return found;
  throw new YoroshiError("tableBroken", {
    table,
    place: "database",
    problem: `there is no column \`${name}\`. Columns: ${columns.map((one) => one.name).join(", ")}.`,
  });
}

/** A mark that changes when another connection has written to the file; only SQLite has one. */
export async function writtenMark(database: Database): Promise<string | undefined> {
  if (database.dialect.name !== "SQLite") return undefined;
  const rows = await database.patiently(async (db) => (await sql<{ data_version: unknown }>`PRAGMA data_version`.execute(db)).rows);
  return String(rows[0]?.data_version ?? "");
}
