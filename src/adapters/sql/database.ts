import { callbackify } from "node:util";
import type { Database as SqliteDatabase } from "better-sqlite3";
import type { Pool } from "pg";
import { Kysely, MysqlDialect, PostgresDialect, SqliteDialect } from "kysely";
import { isYoroshiError, YoroshiError, type Clock } from "../../core/index.js";
import type { Db, Dialect, SqlFault } from "./dialect.js";
import { mysql } from "./mysql.js";
import { setUp } from "./pooler.js";
import { postgres } from "./postgres.js";
import { openSqlite } from "../../files/index.js";
import { sqlite } from "./sqlite.js";

/** Which database is opened. */
export interface DatabaseOptions {
  /** What messages call it. */
  readonly name: string;
  /** `postgresql://…`, `mysql://…`, `mariadb://…`; or */
  readonly url?: string | undefined;
  /** the path of an SQLite file. */
  readonly file?: string | undefined;
  /** IANA name; times with a zone are given in it. Default UTC. */
  readonly timeZone?: string | undefined;
  readonly clock: Clock;
  /** Told while the database is away and waited for. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

/** An open database; connections are made when they are needed. */
export interface Database {
  readonly name: string;
  readonly db: Db;
  readonly dialect: Dialect;
  /**
   * Does something with the database. Once it has answered, its going away is waited out, for up to two minutes; before
   * that it is an error at once.
   *
   * @param rights what it needs, told when it is not allowed.
   * @throws YoroshiError `databaseUnusable`, `databaseRights`; for a value that does not fit a `ValueRefused`.
   */
  patiently<T>(work: (db: Db) => Promise<T>, rights?: string): Promise<T>;
  /** A connection of one's own, to hear what the database tells; only where it tells anything. */
  readonly hear?: ((channel: string, on: Hearing) => Promise<() => Promise<void>>) | undefined;
  /** Closes its connections. */
  close(): Promise<void>;
}

/** What is told on a channel. */
export interface Hearing {
  /** Something was told. */
  told(payload: string): void;
  /** It is heard again after it was not: what was told meanwhile is lost. */
  again(): void;
  /** Nothing is heard any more; it is tried again by itself. */
  lost(problem: string): void;
}

/** A batch was refused because of a value in it. */
export class ValueRefused extends Error {
  override readonly name = "ValueRefused";
}

const PATIENCE_MS = 120_000;
const FIRST_WAIT_MS = 200;
const LONGEST_WAIT_MS = 5_000;

/**
 * Opens a database by its address or file.
 *
 * @throws YoroshiError `databaseUnusable` where the address is none, the driver is not installed, or there is no such file.
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 * import { openDatabase, sqlTable } from "yoroshi/node";
 *
 * const database = await openDatabase({ name: "main", file: "log.sqlite", clock: systemClock() });
 * await sqlTable(database, { table: "log", key: "id" }).columns(); // => ["id", "note"]
 * await database.close();
 * ```
 */
export async function openDatabase(options: DatabaseOptions): Promise<Database> {
  const { name, clock, onNotice } = options;
  const { db, dialect, hear } = await connect(options);
  let answered = false;
  return {
    name,
    db,
    dialect,
    hear,
    async patiently(work, rights) {
      const began = clock.now();
      for (let wait = FIRST_WAIT_MS; ; wait = Math.min(LONGEST_WAIT_MS, wait * 2)) {
        try {
          const result = await work(db);
          answered = true;
          return result;
        } catch (error) {
          if (isYoroshiError(error)) throw error;
          const fault = dialect.fault(error);
          if (fault.kind === "value") throw new ValueRefused(fault.problem, { cause: error });
          if (fault.kind !== "away" || !answered || clock.now() - began > PATIENCE_MS) throw unusable(name, fault, rights, error);
          if (wait === FIRST_WAIT_MS * 4) onNotice?.(`The database ${name} is away (${fault.problem}); waiting for it.`);
          await clock.sleep(wait);
        }
      }
    },
    close: () => db.destroy(),
  };
}

function unusable(name: string, { kind, problem }: SqlFault, rights: string | undefined, cause: unknown): YoroshiError {
  return kind === "rights" && rights !== undefined
    ? new YoroshiError("databaseRights", { database: name, problem, rights }, { cause })
    : new YoroshiError("databaseUnusable", { database: name, problem }, { cause });
}

async function connect(options: DatabaseOptions): Promise<{ db: Db; dialect: Dialect; hear?: Database["hear"] }> {
  const { name, url, file } = options;
  if (file !== undefined) return { db: new Kysely({ dialect: new SqliteDialect({ database: openFile(name, file) }) }), dialect: sqlite };
  const protocol = url !== undefined && URL.canParse(url) ? new URL(url).protocol : "";
  if (/^postgres(ql)?:$/.test(protocol))
    return {
      db: new Kysely({ dialect: new PostgresDialect({ pool: await postgresPool(options, url!) }) }),
      dialect: postgres,
      hear: (channel, on) => hearPostgres(options, url!, channel, on),
    };
  if (/^(mysql|mariadb):$/.test(protocol))
    return { db: new Kysely({ dialect: new MysqlDialect({ pool: (await mysqlPool(options, url!)) as never }) }), dialect: mysql };
  throw new YoroshiError("databaseUnusable", {
    database: name,
    problem: "its address does not begin with postgresql://, mysql:// or mariadb://",
  });
}

/** What our connections call themselves: by it triggers know what we write ourselves. */
export const APPLICATION = "yoroshi";
const MOST_CONNECTIONS = 4;
const CONNECT_MS = 10_000;

function openFile(name: string, file: string): SqliteDatabase {
  try {
    const db = openSqlite(file, { fileMustExist: true, timeout: CONNECT_MS });
    db.defaultSafeIntegers(true);
    return db;
  } catch (error) {
    if (error instanceof YoroshiError) throw error;
    throw new YoroshiError(
      "databaseUnusable",
      {
        database: name,
        problem: /unable to open|does not exist/.test((error as Error).message) ? "there is no such file" : sqlite.fault(error).problem,
      },
      { cause: error },
    );
  }
}

const PG_BOOLEAN = 16;

async function postgresPool({ name, timeZone = "UTC" }: DatabaseOptions, url: string): Promise<Pool> {
  const { default: pg } = await driver(name, "pg", import("pg"));
  const asText = (text: string): string => text;
  const asTrueFalse = (text: string): string => (text === "t" ? "true" : "false");
  const another = () => new pg.Client({ connectionString: url, application_name: APPLICATION, connectionTimeoutMillis: CONNECT_MS });
  const pool = new pg.Pool({
    connectionString: url,
    max: MOST_CONNECTIONS,
    connectionTimeoutMillis: CONNECT_MS,
    application_name: APPLICATION,
    // The library asks by a function that is called back, with nothing where all is well.
    verify: (client, done) => callbackify(() => setUp(client, name, timeZone, another))(done as (error: Error) => void),
    // Everything as the database writes it: no number loses digits, no time its zone.
    types: { getTypeParser: ((oid: number) => (oid === PG_BOOLEAN ? asTrueFalse : asText)) as never },
  });
  // Told when the next statement is tried; an event that nobody hears would end the process.
  pool.on("error", () => undefined);
  pool.on("connect", (client) => void client.on("error", () => undefined));
  return pool;
}

/** Listens on a connection of its own; one that breaks off is made again, for as long as it takes. */
async function hearPostgres({ name, clock }: DatabaseOptions, url: string, channel: string, on: Hearing): Promise<() => Promise<void>> {
  const { default: pg } = await driver(name, "pg", import("pg"));
  let ended = false;
  let client: InstanceType<typeof pg.Client> | undefined;
  const end = new AbortController();
  const connectOnce = async (): Promise<void> => {
    const mine = new pg.Client({
      connectionString: url,
      application_name: APPLICATION,
      connectionTimeoutMillis: CONNECT_MS,
      keepAlive: true,
    });
    const lose = (problem: string): void => {
      if (client !== mine || ended) return;
      client = undefined;
      on.lost(problem);
      void mine.end().catch(() => undefined);
      void again();
    };
    // An error that nobody hears would end the process.
    mine.on("error", (error) => lose(postgres.fault(error).problem));
    mine.on("end", () => lose("the connection broke off"));
    mine.on("notification", ({ payload = "" }) => on.told(payload));
    await mine.connect();
    client = mine;
    await mine.query(`LISTEN ${pg.escapeIdentifier(channel)}`);
  };
  const again = async (): Promise<void> => {
    for (let wait = FIRST_WAIT_MS; !ended; wait = Math.min(LONGEST_WAIT_MS, wait * 2)) {
      try {
        await clock.sleep(wait, end.signal);
        await connectOnce();
        return on.again();
      } catch {
        client = undefined;
      }
    }
  };
  try {
    await connectOnce();
  } catch (error) {
    throw unusable(name, postgres.fault(error), undefined, error);
  }
  return async () => {
    ended = true;
    end.abort();
    await client?.end().catch(() => undefined);
  };
}

async function mysqlPool({ name }: DatabaseOptions, url: string): Promise<unknown> {
  const { createPool } = await driver(name, "mysql2", import("mysql2"));
  const pool = createPool({
    uri: url.replace(/^mariadb:/, "mysql:"),
    connectionLimit: MOST_CONNECTIONS,
    connectTimeout: CONNECT_MS,
    charset: "utf8mb4",
    // Everything as the database writes it: no number loses digits, no time is moved.
    typeCast: (field: { readonly type: string; string(encoding?: string): string | null; buffer(): Buffer | null }) =>
      /BLOB|STRING/.test(field.type) ? textOrHex(field.buffer()) : field.string("utf8"),
  } as never);
  // The promise wrapper's types leave out the events of the pool beneath.
  (
    pool as unknown as {
      on(event: string, listener: (connection: { query(sql: string): void; on(event: string, listener: () => void): void }) => void): void;
    }
  ).on("connection", (connection) => {
    connection.on("error", () => undefined);
    // `TIMESTAMP` is shown in the session's zone; values that do not fit are refused, not cut.
    connection.query("SET time_zone = '+00:00', sql_mode = CONCAT(@@sql_mode, ',STRICT_ALL_TABLES')");
  });
  return pool;
}

/** TEXT columns come as blobs on the wire, bytes as strings. */
function textOrHex(bytes: Buffer | null): string | null {
  if (bytes === null) return null;
  try {
    return new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    return bytes.toString("hex");
  }
}

async function driver<T>(database: string, name: string, loading: Promise<T>): Promise<T> {
  try {
    return await loading;
  } catch (error) {
    if ((error as { code?: string }).code !== "ERR_MODULE_NOT_FOUND") throw error;
    throw new YoroshiError(
      "databaseUnusable",
      { database, problem: `the package \`${name}\` is not installed. Install it beside yoroshi: npm install ${name}` },
      { cause: error },
    );
  }
}
