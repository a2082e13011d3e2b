import { CompiledQuery } from "kysely";
import type { Database } from "./database.js";
import type { Db } from "./dialect.js";

/** A row as the database gives it: texts. */
type TextRow = Readonly<Record<string, string | null>>;

/** Statements as they are written, with their values beside them. */
export interface PlainSql {
  /** The rows that a statement gives. */
  all(text: string, values?: readonly unknown[]): Promise<readonly TextRow[]>;
  /** How many rows were changed. */
  run(text: string, values?: readonly unknown[]): Promise<number>;
}

/** A database by plain statements, waited for while it is away. */
export interface PlainDatabase {
  /** What messages call it. */
  readonly name: string;
  /** Does something with the database; its going away is waited out. */
  patiently<T>(work: (sql: PlainSql & { transaction<R>(work: (sql: PlainSql) => Promise<R>): Promise<R> }) => Promise<T>): Promise<T>;
  /** Closes its connections. */
  close(): Promise<void>;
}

/**
 * A database for whoever writes statements of their own, such as the ledger.
 *
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 * import { openDatabase, plainSql } from "yoroshi/node";
 *
 * const database = plainSql(await openDatabase({ name: "main", file: "log.sqlite", clock: systemClock() }));
 * await database.patiently((sql) => sql.all("SELECT count(*) AS n FROM log")); // => [{ n: "1" }]
 * await database.close();
 * ```
 */
export function plainSql(database: Database): PlainDatabase {
  const isText = database.dialect.name === "PostgreSQL";
  return {
    name: database.name,
    patiently: (work) =>
      database.patiently((db) =>
        work({ ...statementsOf(db, isText), transaction: (inner) => db.transaction().execute((trx) => inner(statementsOf(trx, isText))) }),
      ),
    close: () => database.close(),
  };
}

/** Drivers other than PostgreSQL's give numbers as numbers. */
const asTexts = (row: Readonly<Record<string, unknown>>): TextRow =>
  Object.fromEntries(Object.entries(row).map(([name, value]) => [name, value === null ? null : String(value)]));

function statementsOf(db: Db, isText: boolean): PlainSql {
  const query = (text: string, values: readonly unknown[]) => db.executeQuery<TextRow>(CompiledQuery.raw(text, [...values]));
  return {
    all: async (text, values = []) => {
      const { rows } = await query(text, values);
      return isText ? rows : rows.map(asTexts);
    },
    run: async (text, values = []) => Number((await query(text, values)).numAffectedRows ?? 0),
  };
}
