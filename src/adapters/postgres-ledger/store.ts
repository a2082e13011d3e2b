import { YoroshiError } from "../../core/index.js";
import { MIGRATIONS } from "./migrations.js";

/** A row as the database gives it: texts. */
export type TextRow = Readonly<Record<string, string | null>>;

/** Runs statements on the database, or within a transaction. */
export interface Statements {
  /** The rows that a statement gives. */
  all(text: string, values?: readonly unknown[]): Promise<readonly TextRow[]>;
  /** How many rows were changed. */
  run(text: string, values?: readonly unknown[]): Promise<number>;
}

/** The database that keeps a ledger, PostgreSQL, by plain statements (`plainSql`). */
export interface LedgerDatabase {
  readonly name: string;
  /** Does something with the database; its going away is waited out. Every value comes as text. */
  patiently<T>(work: (sql: Statements & { transaction<R>(work: (sql: Statements) => Promise<R>): Promise<R> }) => Promise<T>): Promise<T>;
  /** Closes its connections. */
  close(): Promise<void>;
}

/** The schema of a ledger, raised to today's format. */
export interface Store {
  /** The schema's name, quoted. */
  readonly schema: string;
  read(text: string, values?: readonly unknown[]): Promise<readonly TextRow[]>;
  /** Does all of it or nothing; done again as a whole where the database went away under it. */
  transaction<T>(work: (sql: Statements) => Promise<T>): Promise<T>;
  close(): Promise<void>;
}

/** A number of one's own for locks of this kind; any would do that nobody else takes. */
const LOCKS = 0x59_6f_72_6f;

/**
 * Opens the schema and raises an older format, one process at a time.
 *
 * @throws YoroshiError `ledgerNewer`, `ledgerBroken`, `databaseUnusable`.
 */
export async function openStore(database: LedgerDatabase, name: string): Promise<Store> {
  const schema = `"${name}"`;
  const place = `${name} in the database ${database.name}`;
  await database.patiently(async (sql) => {
    const found = await sql.all("SELECT to_regclass($1) AS known", [`${schema}.format`]).catch((error: unknown) => {
      throw notPostgres(place, error);
    });
    if (found[0]?.["known"] && (await formatOf(sql, schema)) === MIGRATIONS.length) return;
    await sql.transaction((inner) => migrate(inner, schema, place));
  });
  return {
    schema,
    read: (text, values) => database.patiently((sql) => sql.all(text, values)),
    transaction: (work) => database.patiently((sql) => sql.transaction(work)),
    close: () => database.close(),
  };
}

async function formatOf(sql: Statements, schema: string): Promise<number> {
  return Number((await sql.all(`SELECT max(number) AS format FROM ${schema}.format`))[0]?.["format"] ?? 0);
}

async function migrate(sql: Statements, schema: string, place: string): Promise<void> {
  await sql.all("SELECT pg_advisory_xact_lock($1, hashtext($2))", [LOCKS, schema]);
  await sql.run(`CREATE SCHEMA IF NOT EXISTS ${schema}`);
  await sql.run(`CREATE TABLE IF NOT EXISTS ${schema}.format (number integer PRIMARY KEY, at timestamptz NOT NULL DEFAULT now())`);
  const format = await formatOf(sql, schema);
  if (format > MIGRATIONS.length) throw new YoroshiError("ledgerNewer", { file: place, found: format, known: MIGRATIONS.length });
  for (const [index, step] of MIGRATIONS.entries()) {
    if (index < format) continue;
    for (const statement of step(schema).split(/;\s*$/m)) if (statement.trim() !== "") await sql.run(statement);
    await sql.run(`INSERT INTO ${schema}.format (number) VALUES ($1)`, [index + 1]);
  }
}

function notPostgres(place: string, error: unknown): unknown {
  return /to_regclass|syntax|no such function/i.test((error as Error).message)
    ? new YoroshiError(
        "ledgerBroken",
        { file: place, problem: "a ledger is kept in PostgreSQL, and this is another database" },
        { cause: error },
      )
    : error;
}

/** Holds a lock until the transaction ends, so that one process at a time does what it names. */
export const lockFor = (sql: Statements, schema: string, what: string): Promise<unknown> =>
  sql.all("SELECT pg_advisory_xact_lock($1, hashtext($2))", [LOCKS, `${schema} ${what}`]);
