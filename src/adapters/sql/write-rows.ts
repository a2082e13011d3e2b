import { sql, type RawBuilder } from "kysely";
import { joinKey, YoroshiError, type CellsOf, type Growth, type Refusal, type StandingRow, type TargetColumn } from "../../core/index.js";
import { ValueRefused, type Database } from "./database.js";
import { keyAlias, type RowChange, type SqlColumn } from "./dialect.js";
import { InFlight } from "./in-flight.js";
import { rawKey } from "./keys.js";
import { pages } from "./pages.js";
import { outText, standingText } from "./texts.js";

const WRITE_ROWS = 2_000;
const FEW = 3;

export const writeRights = (name: string, key: readonly string[], columns: readonly SqlColumn[]): string =>
  `SELECT on ${name}, and UPDATE on its columns ${columns.map((column) => column.name).join(", ")} (its key ${key.join(", ")} is only read)`;

/** A row's key from the text of its key columns; empty where one of them is NULL. */
export function keyOf(key: readonly string[], row: Readonly<Record<string, unknown>>): string {
  return joinKey(key.map((_, index) => String(row[keyAlias(index)] ?? "")));
}

/** A table that is written, and its columns. */
export interface Writing {
  readonly database: Database;
  readonly from: RawBuilder<unknown>;
  readonly name: string;
  readonly key: readonly string[];
  readonly keyColumns: readonly SqlColumn[];
  readonly wanted: readonly TargetColumn[];
  readonly own: readonly SqlColumn[];
  /** All columns of the table. */
  readonly all: readonly SqlColumn[];
  /** Only the rows with these values in their key columns. */
  readonly only?: readonly (readonly string[])[] | undefined;
}

/**
 * Writes rows page by page, each cell only where it still holds what was read; with growth, rows go and come. While a page is written the
 * next is read. What was written is read back: a rule of the database may keep a row from taking it without an error.
 */
export async function writeRows(
  writing: Writing,
  cellsOf: CellsOf,
  growth: Growth | undefined,
  onRefused?: (refusals: readonly Refusal[]) => void,
): Promise<void> {
  const { database, wanted, own } = writing;
  const refused = new Refused(writing.name);
  // Each page tells its own, so that the first rows of the table are told first, however pages end.
  const byPage: Refused[] = [];
  const writes = new InFlight(growth ? 1 : WRITES_AT_ONCE[database.dialect.name]);
  const rights = writeRights(writing.name, writing.key, own);
  try {
    for await (const page of readPages(writing, growth !== undefined)) {
      const cells = await cellsOf(
        page.map(({ key }) => key),
        page.map(({ key, values }) => ({ key, values: ofColumns(values, own) })),
      );
      const gone = new Set(growth ? page.filter((row, at) => growth.goes({ key: row.key, values: row.values }, cells[at])) : []);
      const groups = changedRows(own, page, cells, gone);
      const refusedHere = new Refused(writing.name);
      byPage.push(refusedHere);
      await writes.begin(async () => {
        await remove(writing, [...gone]);
        for (const { columns, rows } of groups) {
          const change = { table: writing.from, key: writing.keyColumns, columns: columns.map((index) => own[index]!) };
          await update(writing, change, rows, rights, refusedHere);
        }
      });
    }
    await writes.end();
    for (const one of byPage) refused.addAll(one);
  } finally {
    await writes.settle();
  }
  for await (const rows of growth?.added() ?? []) {
    const cells = await cellsOf(rows.map((row) => row.key));
    await insert(
      writing,
      rows.map((row, at) => ({
        row,
        texts: own.map((column) => (cells[at]?.[column.name] === undefined ? "" : outText(column, cells[at][column.name]!))),
      })),
      refused,
    );
  }
  if (onRefused && refused.all.length > 0) onRefused(refused.all);
  else refused.tell(wanted.map((column) => column.name));
}

/**
 * How many pages are written at once. MySQL locks what it looks through where the key has no index of its own, so that two writings
 * could wait for each other for ever; SQLite has one writer.
 */
const WRITES_AT_ONCE = { PostgreSQL: 2, MySQL: 1, SQLite: 1 } as const;

/** A row of a page as it was read. */
interface ReadRow {
  readonly key: string;
  /** The values of its key columns, as the database compares them. */
  readonly rawKey: RowChange["key"];
  readonly values: Readonly<Record<string, string>>;
  /** What each written column held, as it is held against what stands when it is written. */
  readonly was: RowChange["was"];
}

/** The rows of the table that have a key; with growth with all their columns. */
async function* readPages(writing: Writing, growing: boolean): AsyncGenerator<ReadRow[]> {
  const { database, from, key, keyColumns, own, name } = writing;
  const { dialect } = database;
  const guard = (index: number): string => `yoroshi_was_${index}`;
  const read = growing ? writing.all : own;
  const select = [
    ...read.map((column) => sql`${sql.id("y", column.name)} AS ${sql.id(column.name)}`),
    ...own.map((column, index) => sql`${dialect.asText(sql.id("y", column.name))} AS ${sql.id(guard(index))}`),
  ];
  for await (const page of pages(
    database,
    { from, key: keyColumns, select, rights: writeRights(name, key, own), only: writing.only },
    WRITE_ROWS,
  )) {
    yield page.flatMap((row) => {
      const found = keyOf(key, row);
      if (found === "") return [];
      const values = Object.fromEntries(read.map((column) => [column.name, standingText(database, column, row[column.name])]));
      const was = own.map((_, index) => (row[guard(index)] ?? null) as string | null);
      return [{ key: found, rawKey: rawKey(dialect, keyColumns, row), values, was }];
    });
  }
}

const ofColumns = (values: ReadRow["values"], columns: readonly SqlColumn[]): Record<string, string> =>
  Object.fromEntries(columns.map(({ name }) => [name, values[name]!]));

interface Group {
  readonly columns: readonly number[];
  readonly rows: NamedChange[];
}

/** The rows whose cells become others; those that change the same columns go together. */
function changedRows(
  own: readonly SqlColumn[],
  page: readonly ReadRow[],
  cells: Awaited<ReturnType<CellsOf>>,
  gone: ReadonlySet<ReadRow>,
): Group[] {
  const groups = new Map<string, Group>();
  for (const [at, row] of page.entries()) {
    if (gone.has(row)) continue;
    const changed = own.flatMap((column, index) => {
      const cell = cells[at]?.[column.name];
      const text = cell === undefined ? undefined : outText(column, cell);
      return text === undefined || text === row.values[column.name] ? [] : [{ index, text }];
    });
    if (changed.length === 0) continue;
    const columns = changed.map(({ index }) => index);
    const group = groups.get(columns.join()) ?? { columns, rows: [] };
    groups.set(columns.join(), group);
    group.rows.push({
      name: row.key,
      key: row.rawKey,
      was: columns.map((index) => row.was[index] ?? null),
      becomes: changed.map(({ text }) => (text === "" ? null : text)),
    });
  }
  return [...groups.values()];
}

const growthRights = ({ name }: Writing): string => `SELECT, INSERT, UPDATE and DELETE on ${name}`;

/** Takes rows away that still hold what was read. */
async function remove(writing: Writing, rows: readonly Pick<ReadRow, "rawKey" | "was">[]): Promise<void> {
  const { database, from, keyColumns, own } = writing;
  if (rows.length === 0) return;
  await database.patiently(
    (db) =>
      db.transaction().execute(async (transaction) => {
        for (const { rawKey: key, was } of rows) {
          const holds = [
            ...keyColumns.map((column, index) => sql`${sql.id(column.name)} = ${database.dialect.keyParameter(key[index], column.class)}`),
            ...own.map((column, index) =>
              was[index] === null
                ? sql`${sql.id(column.name)} IS NULL`
                : sql`${database.dialect.asText(sql.id(column.name))} = ${was[index]}`,
            ),
          ];
          await sql`DELETE FROM ${from} WHERE ${sql.join(holds, sql` AND `)}`.execute(transaction);
        }
      }),
    growthRights(writing),
  );
}

interface NewRow {
  readonly row: StandingRow;
  /** The text of each of the columns that are written. */
  readonly texts: readonly string[];
}

/** New rows by their keys, then filled like those that were there; all of it or, for a row that is refused, nothing. */
async function insert(writing: Writing, rows: readonly NewRow[], refused: Refused): Promise<void> {
  const { database, from, key, keyColumns, own } = writing;
  const most = STATEMENT_ROWS.MySQL;
  for (let at = 0; at < rows.length; at += most) {
    const some = rows.slice(at, at + most);
    const changes = some.map(({ row, texts }): RowChange => ({
      key: key.map((column) => row.values[column] ?? ""),
      was: own.map(() => null),
      becomes: texts.map((text) => (text === "" ? null : text)),
    }));
    try {
      await database.patiently(
        (db) =>
          db.transaction().execute(async (transaction) => {
            await sql`INSERT INTO ${from} (${sql.join(key.map((column) => sql.id(column)))}) VALUES ${sql.join(changes.map((change) => sql`(${sql.join(change.key)})`))}`.execute(
              transaction,
            );
            await database.dialect.update(transaction, { table: from, key: keyColumns, columns: own, rows: changes });
          }),
        growthRights(writing),
      );
    } catch (error) {
      if (!(error instanceof ValueRefused)) throw error;
      if (some.length === 1)
        refused.add(
          some[0]!.row.key,
          own.map((column) => column.name),
          error.message,
        );
      else for (const half of [some.slice(0, some.length >> 1), some.slice(some.length >> 1)]) await insert(writing, half, refused);
    }
  }
}

type NamedChange = RowChange & { readonly name: string };

/** MySQL's statement names every row, so that it takes fewer. */
const STATEMENT_ROWS = { PostgreSQL: WRITE_ROWS, MySQL: 200, SQLite: WRITE_ROWS } as const;

/** Rows in one transaction; where a value is refused, half of them and half again, so that only its own row is left out. */
async function update(
  writing: Writing,
  change: Omit<Parameters<Database["dialect"]["update"]>[1], "rows">,
  rows: readonly NamedChange[],
  rights: string,
  refused: Refused,
): Promise<void> {
  const { database } = writing;
  const most = STATEMENT_ROWS[database.dialect.name];
  const updated = new Set<string>();
  try {
    await database.patiently(
      (db) =>
        db.transaction().execute(async (transaction) => {
          for (let at = 0; at < rows.length; at += most)
            for (const row of await database.dialect.update(transaction, { ...change, rows: rows.slice(at, at + most) }))
              updated.add(keyOf(writing.key, row));
        }),
      rights,
    );
  } catch (error) {
    if (!(error instanceof ValueRefused)) throw error;
    if (rows.length === 1)
      return refused.add(
        rows[0]!.name,
        change.columns.map((column) => column.name),
        error.message,
      );
    const half = Math.ceil(rows.length / 2);
    await update(writing, change, rows.slice(0, half), rights, refused);
    await update(writing, change, rows.slice(half), rights, refused);
    return;
  }
  for (let at = 0; at < rows.length; at += most)
    await checkTaken(writing, { ...change, rows: rows.slice(at, at + most) }, rows.slice(at, at + most), updated, rights, refused);
}

/**
 * Reads back what was written; rows that hold something else are told. What somebody changed since it was read is theirs, and found as
 * such by the next fill.
 */
async function checkTaken(
  { database, key }: Writing,
  change: Parameters<Database["dialect"]["readBack"]>[1],
  rows: readonly NamedChange[],
  updated: ReadonlySet<string>,
  rights: string,
  refused: Refused,
): Promise<void> {
  const found = new Map(
    (await database.patiently((db) => database.dialect.readBack(db, change), rights)).map((row) => [keyOf(key, row), row]),
  );
  for (const { name, was, becomes } of rows) {
    const row = found.get(name);
    if (!row) continue; // gone, or under another key: with its row go its cells
    const columns = change.columns.map((column, index) => ({
      column,
      now: standingText(database, column, row[column.name]),
      before: was[index],
      wanted: becomes[index] ?? "",
    }));
    const not = columns.filter(({ now, wanted }) => now !== wanted);
    if (not.length === 0) continue;
    const kept = not.every(({ column, now, before }) => now === standingText(database, column, before));
    if (kept)
      refused.add(
        name,
        not.map(({ column }) => column.name),
        NOT_TAKEN,
      );
    else if (updated.has(name))
      refused.add(
        name,
        not.map(({ column }) => column.name),
        MADE_OTHER,
      );
  }
}

const NOT_TAKEN = "the row kept its old value without an error: row level security, a trigger or a rule of the table";
const MADE_OTHER = "another value stands there than was written: a trigger made it";

/** Rows whose values the database did not take, by the reason. */
class Refused {
  readonly #found = new Map<
    string,
    { rows: number; readonly keys: string[]; readonly columns: readonly string[]; readonly problem: string }
  >();

  constructor(readonly table: string) {}

  add(key: string, columns: readonly string[], problem: string): void {
    const found = this.#found.get(problem) ?? { rows: 0, keys: [], columns, problem };
    this.#found.set(problem, found);
    found.rows++;
    if (found.keys.length < FEW) found.keys.push(key);
  }

  addAll(other: Refused): void {
    for (const [problem, { rows, keys, columns }] of other.#found) {
      const found = this.#found.get(problem) ?? { rows: 0, keys: [], columns, problem };
      this.#found.set(problem, found);
      found.rows += rows;
      found.keys.push(...keys.slice(0, FEW - found.keys.length));
    }
  }

  /** Most rows first. */
  get all(): Refusal[] {
    return [...this.#found.values()].sort((a, b) => b.rows - a.rows);
  }

  /** Throws when there were any, after all others are written. */
  tell(all: readonly string[]): void {
    const [most] = this.all;
    if (!most) return;
    const { keys, columns, problem } = most;
    throw new YoroshiError("cellsRefused", {
      table: this.table,
      rows: this.all.reduce((sum, { rows }) => sum + rows, 0),
      keys,
      columns: columns.length > 0 ? columns : all,
      problem,
    });
  }
}
