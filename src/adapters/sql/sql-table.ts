import { sql, type RawBuilder } from "kysely";
import {
  keyColumnsOf,
  nearest,
  plural,
  splitKey,
  YoroshiError,
  type Chunk,
  type KeyColumns,
  type Row,
  type RowSource,
  type Table,
  type TargetColumn,
} from "../../core/index.js";
import type { Database } from "./database.js";
import { findsByText, type SqlColumn, type TableName } from "./dialect.js";
import { pages } from "./pages.js";
import { standingText, writtenText } from "./texts.js";
import { keyOf, writeRights, writeRows, type Writing } from "./write-rows.js";

/** A table of a database, or a query. */
export interface SqlSource {
  /** The table, with its schema before it where it needs one: `ops.deck_log`. */
  readonly table?: string | undefined;
  /** SELECT, instead of a table. */
  readonly query?: string | undefined;
  /** Of a query: the table that takes what is filled, with the same key columns. */
  readonly into?: string | undefined;
}

/** Which rows of a database are a table. */
export interface SqlTableOptions extends SqlSource {
  readonly key: KeyColumns;
  /** The table holds rows that Yoroshi makes: it may be created, and rows come and go. */
  readonly grows?: boolean | undefined;
  /** Only the rows of these keys. */
  readonly only?: ReadonlySet<string> | undefined;
}

const PAGE_ROWS = 1_024;
const CHUNK_ROWS = 128;
const FEW = 3;

/**
 * A table of a database, or what a query gives. What is filled goes into the table itself, row by row by its key.
 *
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 * import { openDatabase, sqlTable } from "yoroshi/node";
 *
 * const database = await openDatabase({ name: "main", file: "log.sqlite", clock: systemClock() });
 * const table = sqlTable(database, { table: "log", key: "id" });
 * await table.missingColumns!([{ name: "tone", freeText: false }]); // => ["ALTER TABLE \"log\" ADD COLUMN \"tone\" TEXT"]
 * await database.close();
 * ```
 */
export function sqlTable(database: Database, options: SqlTableOptions): Table {
  const source = sourceOf(database, options);
  const key = keyColumnsOf(options.key);
  const targetName = options.query === undefined ? options.table! : options.into;
  const target = targetName === undefined ? undefined : sourceOf(database, { table: targetName });
  const { dialect } = database;
  const only = options.only && [...options.only].map((one) => splitKey(one, key.length));
  let targetColumns: readonly SqlColumn[] | undefined;
  let unique = false;

  const intoTable = async (): Promise<{
    readonly from: RawBuilder<unknown>;
    readonly name: string;
    readonly columns: readonly SqlColumn[];
  }> => {
    if (!target)
      throw new YoroshiError("tableBroken", {
        table: source.name,
        place: "into",
        problem: "a query cannot be filled. Say which table takes what is filled, by the same key: `into: <table>`.",
      });
    targetColumns = await target.columns();
    requireKey(target.name, key, targetColumns);
    return { from: target.from, name: target.name, columns: targetColumns };
  };
  const isThere = async (): Promise<boolean> =>
    options.grows !== true || (await database.patiently((db) => dialect.columns(db, target!.table!), target!.rights)).length > 0;
  const needsUnique = async (): Promise<void> => {
    if (unique) return;
    for (const one of new Set([source, target ?? source])) await requireUnique(database, one, key);
    unique = true;
  };

  return {
    name: source.name,
    target: target?.name ?? source.name,
    keyColumns: key,
    onlyKeys: options.only,
    async rowsOnly(keys) {
      const found = columnsNamed(await source.columns(), key);
      const there = target && target !== source ? columnsNamed(await target.columns(), key) : found;
      return [...found, ...there].every((column) => column !== undefined && findsByText(column))
        ? sqlTable(database, { ...options, only: new Set(keys) })
        : undefined;
    },
    async columns() {
      const columns = await source.columns();
      if (target) targetColumns = target === source ? columns : await target.columns();
      return columns.map((column) => column.name);
    },
    async *read(): AsyncGenerator<Chunk> {
      const columns = await source.columns();
      requireKey(source.name, key, columns);
      await needsUnique();
      const total = only?.length ?? (await countRows(database, source));
      let read = 0;
      for await (const page of pages(
        database,
        { from: source.from, key: columnsNamed(columns, key), select: [sql`y.*`], rights: source.rights, only },
        PAGE_ROWS,
      )) {
        for (let from = 0; from < page.length; from += CHUNK_ROWS) {
          const rows = page.slice(from, from + CHUNK_ROWS).map((row, index) => rowOf(database, columns, key, row, read + from + index + 1));
          yield { rows, share: total === 0 ? 1 : Math.min(1, (read + from + rows.length) / total) };
        }
        read += page.length;
      }
    },
    async *standing(wanted) {
      if (!target || !(await isThere())) return;
      const { from, columns } = await intoTable();
      const present = columns.filter((column) => wanted.includes(column.name));
      if (present.length === 0) return;
      for await (const page of pages(
        database,
        { from, key: columnsNamed(columns, key), select: present.map((column) => sql.id("y", column.name)), rights: target.rights, only },
        PAGE_ROWS,
      )) {
        yield page.map((row) => ({
          key: keyOf(key, row),
          values: Object.fromEntries(present.map((column) => [column.name, standingText(database, column, row[column.name])])),
        }));
      }
    },
    // Others write whenever they like; a database has no mark that tells.
    sourceMark: async () => undefined,
    standingMark: async () => undefined,
    async missingColumns(wanted) {
      if (!(await isThere())) {
        const types = wanted.map(
          (column) =>
            sql`${sql.id(column.name)} ${sql.raw(key.includes(column.name) ? `${dialect.keyType} NOT NULL` : dialect.typeFor(column.type ?? "text"))}`,
        );
        return [
          sql`CREATE TABLE ${target!.from} (${sql.join(types)}, PRIMARY KEY (${sql.join(key.map((column) => sql.id(column)))}))`.compile(
            database.db,
          ).sql,
        ];
      }
      const { from, columns } = await intoTable();
      const there = new Set(columns.map((column) => column.name));
      return wanted
        .filter((column) => !there.has(column.name))
        .map(
          (column) =>
            sql`ALTER TABLE ${from} ADD COLUMN ${sql.id(column.name)} ${sql.raw(dialect.typeFor(column.type ?? "text"))}`.compile(
              database.db,
            ).sql,
        );
    },
    async createColumns(wanted) {
      for (const statement of await this.missingColumns!(wanted)) {
        await database.patiently(
          (db) => sql.raw(statement).execute(db),
          `ownership of ${target!.name}, or ALTER on it (CREATE where it is not there yet); or run it by hand: ${statement}`,
        );
      }
      await intoTable();
    },
    async checkWritable(wanted) {
      if (!(await isThere())) return;
      const { from, name, columns } = await intoTable();
      const present = columns.filter((column) => wanted.some((one) => one.name === column.name));
      const computed = present.find((column) => column.isComputed);
      if (computed)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: `column ${computed.name}`,
          problem: "the database computes it itself, so that nothing can be written there. Fill a column of its own.",
        });
      const fixed = await database.patiently((db) => dialect.whyFixed(db, target!.table!), target!.rights);
      if (fixed !== undefined)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: "table",
          problem: `${fixed}. Read it by a query and name the table that takes what is filled: \`query: SELECT * FROM ${targetName}\`, \`into: <table>\`.`,
        });
      await needsUnique();
      if (present.length === 0) return;
      const nothing = sql`UPDATE ${from} SET ${sql.join(present.map((column) => sql`${sql.id(column.name)} = ${sql.id(column.name)}`))} WHERE 1 = 0`;
      await database.patiently((db) => nothing.execute(db), writeRights(name, key, present));
    },
    async write(wanted, cellsOf, { growth, onRefused } = {}) {
      const { from, name, columns } = await intoTable();
      await needsUnique();
      const written = wanted.map((column) => ({ column, own: columns.find((one) => one.name === column.name) }));
      const missing = written.filter(({ own }) => !own).map(({ column }) => column.name);
      if (missing.length > 0)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: "columns",
          problem: `there is no column ${missing.map((one) => `\`${one}\``).join(", ")}. Add it, or let it be created: --create-columns.`,
        });
      const own = written.map((one) => one.own!);
      const writing: Writing = { database, from, name, key, keyColumns: columnsNamed(columns, key), wanted, own, all: columns, only };
      await writeRows(writing, cellsOf, growth, onRefused);
      return undefined;
    },
    asWritten: (column, value) => writtenText(targetColumns?.find((one) => one.name === column.name) ?? newColumn(column), value),
  };
}

/**
 * All rows of a table or query in a stream, where no row needs a key: a table page by page along a unique index, where it has one.
 *
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 * import { openDatabase, sqlRows } from "yoroshi/node";
 *
 * const database = await openDatabase({ name: "main", file: "log.sqlite", clock: systemClock() });
 * await sqlRows(database, { query: "SELECT id FROM log" }).columns(); // => ["id"]
 * await database.close();
 * ```
 */
export function sqlRows(database: Database, options: Omit<SqlSource, "into">): RowSource {
  const source = sourceOf(database, options);
  return {
    name: source.name,
    columns: async () => (await source.columns()).map((column) => column.name),
    async *rows() {
      const columns = await source.columns();
      const asText = (row: Readonly<Record<string, unknown>>): Record<string, string> =>
        Object.fromEntries(columns.map((column) => [column.name, database.dialect.textOf(row[column.name], column)]));
      const key = await pagingKey(database, source);
      if (key) {
        for await (const page of pages(
          database,
          { from: source.from, key: columnsNamed(columns, key), select: [sql`y.*`], rights: source.rights },
          PAGE_ROWS,
        ))
          yield page.map(asText);
        return;
      }
      const all = await database.patiently(
        async (db) => (await sql<Record<string, unknown>>`SELECT * FROM ${source.from} AS y`.execute(db)).rows,
        source.rights,
      );
      for (let from = 0; from < all.length; from += PAGE_ROWS) yield all.slice(from, from + PAGE_ROWS).map(asText);
    },
    mark: async () => undefined,
  };
}

async function countRows(database: Database, { from, rights }: Source): Promise<number> {
  const counted = await database.patiently(
    async (db) => (await sql<{ n: unknown }>`SELECT count(*) AS n FROM ${from} AS y`.execute(db)).rows,
    rights,
  );
  return Number(counted[0]?.n ?? 0);
}

/** The columns of a unique index that are never blank. */
async function pagingKey(database: Database, { table, from, rights }: Source): Promise<readonly string[] | undefined> {
  const indexes = table ? await database.patiently((db) => database.dialect.uniqueKeys(db, table), rights) : [];
  for (const index of indexes) {
    const blank = sql.join(
      index.map((column) => sql`${sql.id("y", column)} IS NULL`),
      sql` OR `,
    );
    const found = await database.patiently(
      async (db) => (await sql`SELECT 1 AS one FROM ${from} AS y WHERE ${blank} LIMIT 1`.execute(db)).rows,
      rights,
    );
    if (found.length === 0) return index;
  }
  return undefined;
}

interface Source {
  readonly name: string;
  readonly from: RawBuilder<unknown>;
  readonly table: TableName | undefined;
  readonly rights: string;
  columns(): Promise<readonly SqlColumn[]>;
}

function sourceOf(database: Database, { table, query }: SqlSource): Source {
  const parsed = table === undefined ? undefined : tableName(table);
  const name = parsed ? `${database.name}.${table}` : `a query of ${database.name}`;
  const from = parsed
    ? sql.id(...(parsed.schema === undefined ? [] : [parsed.schema]), parsed.name)
    : sql`(${sql.raw(query!.replace(/;\s*$/, ""))})`;
  const rights = parsed ? `SELECT on ${table}` : "SELECT on all tables that the query names";
  return {
    name,
    from,
    table: parsed,
    rights,
    async columns() {
      const columns = await database.patiently((db) => (parsed ? database.dialect.columns(db, parsed) : queryColumns(db, from)), rights);
      if (columns.length === 0)
        throw new YoroshiError("tableBroken", {
          table: name,
          place: "database",
          problem: parsed
            ? "there is no such table, or it may not be seen. Name it as `schema.table` where it is in another schema."
            : "the query gives no row, so its columns are not known.",
        });
      return columns;
    },
  };
}

/** What a query gives is told by its first row. */
async function queryColumns(db: Database["db"], from: RawBuilder<unknown>): Promise<SqlColumn[]> {
  const { rows } = await sql<Record<string, unknown>>`SELECT * FROM ${from} AS y LIMIT 1`.execute(db);
  return Object.keys(rows[0] ?? {}).map((name) => ({ name, class: "other", type: "" }));
}

/** `schema.table`; a name with a dot in it stands in double quotes. */
export function tableName(text: string): TableName {
  const parts = [...text.matchAll(/"((?:[^"]|"")*)"|([^.]+)/g)].map(([, quoted, plain]) => quoted?.replaceAll('""', '"') ?? plain!);
  return parts.length > 1 ? { schema: parts.slice(0, -1).join("."), name: parts.at(-1)! } : { name: parts[0] ?? text };
}

function requireKey(name: string, key: readonly string[], columns: readonly SqlColumn[]): void {
  const known = columns.map((column) => column.name);
  const missing = key.find((column) => !known.includes(column));
  if (missing === undefined) return;
  const near = nearest(missing, known);
  throw new YoroshiError("tableBroken", {
    table: name,
    place: "key",
    problem: `there is no column \`${missing}\` for the key. ${near === undefined ? `Columns: ${known.join(", ")}.` : `Did you mean \`${near}\`?`}`,
  });
}

const columnsNamed = (columns: readonly SqlColumn[], names: readonly string[]): SqlColumn[] =>
  names.map((name) => columns.find((column) => column.name === name)!);

/** A key names one row: by a unique index, or else by counting. In SQLite 1 and '1' are two values, and one name. */
async function requireUnique(
  database: Database,
  { name, table, from, rights, columns: columnsOf }: Source,
  key: readonly string[],
): Promise<void> {
  const { dialect } = database;
  const indexes = table ? await database.patiently((db) => dialect.uniqueKeys(db, table), rights) : [];
  const own = columnsNamed(await columnsOf(), key);
  const isTyped = dialect.name !== "SQLite" || own.every((column) => column.class === "integer" || column.class === "text");
  if (isTyped && indexes.some((index) => index.every((column) => key.includes(column)))) return;
  const columns = sql.join(
    own.map((column) => (isTyped ? sql.id("y", column.name) : dialect.keyText(sql.id("y", column.name), column.class))),
  );
  const known = sql.join(
    key.map((column) => sql`${sql.id("y", column)} IS NOT NULL`),
    sql` AND `,
  );
  const twice = await database.patiently(
    async (db) =>
      (
        await sql<{
          n: unknown;
        }>`SELECT count(*) AS n FROM ${from} AS y WHERE ${known} GROUP BY ${columns} HAVING count(*) > 1 LIMIT ${sql.lit(FEW)}`.execute(db)
      ).rows,
    rights,
  );
  if (twice.length > 0)
    throw new YoroshiError("tableBroken", {
      table: name,
      place: "key",
      problem: `\`${key.join("`, `")}\` does not name one row: ${twice.length === FEW ? "several values stand" : `${plural(twice.length, "value")} ${twice.length === 1 ? "stands" : "stand"}`} in more than one${isTyped ? "" : ", perhaps as a number and as text"}. Add a column to the key: \`key: [${key.join(", ")}, …]\`.`,
    });
}

function rowOf(
  { dialect }: Database,
  columns: readonly SqlColumn[],
  key: readonly string[],
  row: Readonly<Record<string, unknown>>,
  number: number,
): Row {
  const values = Object.fromEntries(columns.map((column) => [column.name, dialect.textOf(row[column.name], column)]));
  const own = keyOf(key, row);
  return own === ""
    ? { key: `(row ${number})`, place: `row ${number}`, values, problem: "the row has no key" }
    : { key: own, place: `key ${own}`, values };
}

function newColumn({ name, type = "text" }: TargetColumn): SqlColumn {
  const classes = {
    text: "text",
    integer: "integer",
    decimal: "decimal",
    number: "float",
    yesNo: "boolean",
    date: "date",
    dateTime: "dateTime",
  } as const;
  return { name, type: "", class: classes[type] };
}
