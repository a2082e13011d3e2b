import { sql, type RawBuilder } from "kysely";
import type { Database } from "./database.js";
import type { Dialect, SqlColumn } from "./dialect.js";
import { rawKey, selectKeys } from "./keys.js";

/** What is paged through: a table, or a query in brackets, by its key columns. */
export interface PageSource {
  readonly from: RawBuilder<unknown>;
  readonly key: readonly SqlColumn[];
  readonly select: readonly RawBuilder<unknown>[];
  readonly rights: string;
  /** Only the rows with these values in their key columns. */
  readonly only?: readonly (readonly string[])[] | undefined;
}

/** Rows that are asked for by their keys in one statement. */
const SOME_KEYS = 400;

type PageRow = Readonly<Record<string, unknown>>;

/**
 * Goes through rows in the order of their key, each page beginning behind the last key of the one before (keyset
 * paging), so that rows which others insert, change or delete meanwhile make no other row come twice or not at all. No
 * cursor stays open between pages. Rows with a blank in their key come last, in one piece.
 */
export async function* pages(
  { dialect, patiently }: Database,
  { from, key, select, rights, only }: PageSource,
  pageRows: number,
): AsyncGenerator<readonly PageRow[]> {
  const columns = key.map((column) => sql.id("y", column.name));
  const order = sql.join(columns);
  const chosen = sql.join([...selectKeys(dialect, key, "y"), ...select]);
  const present = sql.join(
    columns.map((column) => sql`${column} IS NOT NULL`),
    sql` AND `,
  );
  for (let at = 0; only && at < only.length; at += SOME_KEYS) {
    const named = sql.join(
      only.slice(at, at + SOME_KEYS).map((values) => keyIs(dialect, key, values)),
      sql` OR `,
    );
    const page = await patiently(
      async (db) => (await sql<PageRow>`SELECT ${chosen} FROM ${from} AS y WHERE ${named} ORDER BY ${order}`.execute(db)).rows,
      rights,
    );
    if (page.length > 0) yield page;
  }
  if (only) return;
  for (let after: readonly unknown[] | undefined; ;) {
    const behind =
      after === undefined
        ? present
        : isBehind(
            columns,
            after.map((value, index) => dialect.keyParameter(value, key[index]!.class)),
          );
    const page = await patiently(
      async (db) =>
        (await sql<PageRow>`SELECT ${chosen} FROM ${from} AS y WHERE ${behind} ORDER BY ${order} LIMIT ${sql.lit(pageRows)}`.execute(db))
          .rows,
      rights,
    );
    if (page.length > 0) yield page;
    if (page.length < pageRows) break;
    after = rawKey(dialect, key, page.at(-1)!);
  }
  const blank = sql.join(
    columns.map((column) => sql`${column} IS NULL`),
    sql` OR `,
  );
  const keyless = await patiently(
    async (db) => (await sql<PageRow>`SELECT ${chosen} FROM ${from} AS y WHERE ${blank} LIMIT ${sql.lit(pageRows)}`.execute(db)).rows,
    rights,
  );
  if (keyless.length > 0) yield keyless;
}

/** (a, b) > (x, y), written so that every database uses an index for it: a > x OR (a = x AND b > y). */
function isBehind(columns: readonly RawBuilder<unknown>[], after: readonly RawBuilder<unknown>[]): RawBuilder<unknown> {
  const ways = columns.map(
    (column, index) =>
      sql`(${sql.join([...columns.slice(0, index).map((before, at) => sql`${before} = ${after[at]}`), sql`${column} > ${after[index]}`], sql` AND `)})`,
  );
  return sql`(${sql.join(ways, sql` OR `)})`;
}

/** Whether a row has these values in its key columns. */
function keyIs(dialect: Dialect, key: readonly SqlColumn[], values: readonly string[]): RawBuilder<unknown> {
  return sql`(${sql.join(
    key.map((column, index) => dialect.keyIs(sql.id("y", column.name), column, values[index] ?? "")),
    sql` AND `,
  )})`;
}
