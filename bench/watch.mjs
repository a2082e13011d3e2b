// How soon a row that is inserted into PostgreSQL is asked about, and what a watched table costs that nobody changes.
// Usage: node bench/watch.mjs <rows> <seconds>; prints one JSON line.
import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import pg from "pg";

const [rows = 1_000_000, seconds = 20] = process.argv.slice(2).map(Number);
const main = fileURLToPath(new URL("../dist/bin/yoroshi.js", import.meta.url));
const url = "postgresql://postgres@127.0.0.1:5432/";
const name = `yoroshi_bench_${process.pid}`;
const admin = new pg.Client({ connectionString: `${url}postgres` });
await admin.connect();
await admin.query(`CREATE DATABASE ${name}`);
const db = new pg.Client({ connectionString: `${url}${name}`, application_name: "bench" });
await db.connect();
await db.query("CREATE TABLE log (id text PRIMARY KEY, note text, changed bigint, topic text)");
await db.query(`INSERT INTO log (id, note, changed) SELECT 'r' || n, '', n FROM generate_series(1, ${rows}) AS n`);
await db.query("CREATE INDEX ON log (changed)");

const asked = [];
const server = createServer((request, response) => {
  request.resume().on("end", () => {
    asked.push(performance.now());
    const content = JSON.stringify({ topic: "fire" });
    response.setHeader("content-type", "application/json");
    response.end(
      JSON.stringify({ choices: [{ message: { content }, finish_reason: "stop" }], usage: { prompt_tokens: 9, completion_tokens: 3 } }),
    );
  });
});
await new Promise((resolve) => server.listen(0, "127.0.0.1", resolve));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-bench-"));
const put = (file, text) => {
  mkdirSync(path.dirname(path.join(root, file)), { recursive: true });
  writeFileSync(path.join(root, file), text);
};
put(
  "yoroshi.yaml",
  `yoroshi: project/1\nmodels: { quick: { endpoint: "http://127.0.0.1:${server.address().port}/v1", id: m, price: { input: 1, output: 1 } } }\ndatabases: { main: { url: "${url}${name}" } }\n`,
);
put(
  "templates/sort.yaml",
  "yoroshi: template/1\nname: sort\ninputs: { note: { kind: text } }\ntask: |\n  Sort this. {{ note }}\nanswer: { topic: { kind: choice, options: [fire, spill] } }\n",
);
const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Seconds of CPU that a process has used. */
const cpuOf = (pid) => {
  const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1].split(" ");
  return (Number(fields[11]) + Number(fields[12])) / 100;
};

async function watched(watch) {
  put(
    "plans/log.yaml",
    `yoroshi: plan/1\nname: log\ntable: { database: main, table: log, key: id }\nsteps: { sort: { template: sort, inputs: { note: note }, fill: { topic: topic }, when: 'row.note != ""' } }\nwatch: ${watch}\n`,
  );
  const child = spawn(process.execPath, [main, "watch", "log", "--json"], { cwd: root, stdio: ["ignore", "pipe", "ignore"] });
  let state = "";
  let rest = "";
  child.stdout.on("data", (piece) => {
    const lines = (rest + piece).split("\n");
    rest = lines.pop();
    for (const line of lines) {
      const event = JSON.parse(line);
      if (event.type === "state") state = `${event.state.state} ${event.state.since ?? ""}`;
    }
  });
  const began = performance.now();
  // Until the looks at the beginning are over.
  for (let quiet = 0; quiet < 20; quiet = state === "waiting " ? quiet + 1 : 0) await sleep(200);
  const firstMs = performance.now() - began;
  const before = cpuOf(child.pid);
  await sleep(seconds * 1000);
  const share = (cpuOf(child.pid) - before) / seconds;
  const latencies = [];
  for (let index = 0; index < 10; index++) {
    const had = asked.length;
    const at = performance.now();
    await db.query("INSERT INTO log (id, note, changed) VALUES ($1, $2, $3)", [
      `x${watch.length}-${index}`,
      `note ${watch.length} ${index}`,
      10_000_000 + Date.now(),
    ]);
    while (asked.length === had) await sleep(2);
    latencies.push(asked.at(-1) - at);
    await sleep(1_500);
  }
  child.kill("SIGINT");
  await new Promise((resolve) => child.on("close", resolve));
  latencies.sort((a, b) => a - b);
  return {
    cpuShare: Number(share.toFixed(4)),
    medianMs: Math.round(latencies[5]),
    slowestMs: Math.round(latencies[9]),
    firstLookS: Number((firstMs / 1000).toFixed(1)),
  };
}

const byColumn = await watched("{ by: changed, lookSeconds: 5 }");
const { tellingStatements } = await import("../dist/adapters/sql/index.js");
for (const statement of tellingStatements({ table: "log", key: "id" })) await db.query(statement);
const byNotices = await watched("{ changes: true }");
console.log(JSON.stringify({ rows, byNotices, byColumn }));
server.close();
await db.end();
await admin.query(`DROP DATABASE ${name}`);
await admin.end();
rmSync(root, { recursive: true, force: true });
