// Measures a project's server, which runs in a process of its own: `page`, `known`, `new`, `event`, `one`. Prints one JSON line.
// Usage: node bench/serve.mjs MODE FOLDER [MORE]
import { execFileSync, spawn } from "node:child_process";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { Pool } from "undici";
import { client } from "yoroshi/client";

const here = path.dirname(fileURLToPath(import.meta.url));
const cli = path.join(here, "../dist/bin/yoroshi.js");
const [mode, folder, more] = process.argv.slice(2);

const running = [];
async function started(command, args) {
  const child = spawn(command, args, { cwd: folder, stdio: ["ignore", "pipe", "ignore"] });
  running.push(child);
  const line = await new Promise((resolve) => child.stdout.once("data", (data) => resolve(String(data).trim())));
  return new URL(line).origin;
}

const serve = () => started(process.execPath, [cli, "serve", "--port", "0", "--per-minute", "1000000000"]);
const token = String(
  execFileSync(process.execPath, [cli, "serve", "token", "bench", "--right", "work", "--per-day", "1000000000"], {
    cwd: folder,
    stdio: ["ignore", "pipe", "ignore"],
  }),
).trim();
const headers = { authorization: `Bearer ${token}`, "content-type": "application/json" };

const MODES = {
  /** The slowest of several pages of 200 rows, sorted and filtered in many ways, once the table has been read. */
  async page() {
    const server = client({ base: await serve(), token });
    let began = performance.now();
    const { rows } = await server.readRows({ plan: "log", limit: 200 });
    const firstMs = performance.now() - began;
    const queries = [
      { sort: [{ column: "topic" }] },
      { sort: [{ column: "topic" }], from: 5_000 },
      { sort: [{ column: "level", descending: true }], filters: [{ column: "topic", is: ["fire"] }] },
      { sort: [{ column: "level", descending: true }], filters: [{ column: "topic", is: ["fire"] }], from: 900 },
      { sort: [{ column: "note" }], search: "smoke 12" },
      { sort: [{ column: "note" }], filters: [{ column: "note", has: "galley" }], from: 2_000 },
      { sort: [{ column: "id", descending: true }], filters: [{ column: "topic", state: ["filled"] }] },
    ];
    const page = async (query) => {
      began = performance.now();
      await server.readRows({ plan: "log", limit: 200, ...query });
      return performance.now() - began;
    };
    const made = [];
    for (const query of queries) made.push(await page(query));
    const next = [];
    for (const query of queries) next.push(await page({ ...query, from: (query.from ?? 0) + 200 }));
    return { rows, firstMs, slowestMs: Math.max(...next), slowestNewMs: Math.max(...made), newMs: made.map(Math.round) };
  },
  /** Known answers for 500 at once, against a bare server that sends the same JSON. */
  async known() {
    const base = await serve();
    const body = JSON.stringify({ inputs: { note: "smoke in the galley" } });
    const reply = await (await fetch(`${base}/templates/sort/answers`, { method: "POST", headers, body })).text();
    const bare = await started(process.execPath, [path.join(here, "bare-server.mjs"), Buffer.from(reply).toString("base64")]);
    const rounds = [];
    for (let round = 0; round < 3; round++) {
      const ours = await rate(base, "/templates/sort/answers", () => body, 500, 6_000);
      const theirs = await rate(bare, "/", () => body, 500, 6_000);
      rounds.push({ ours, theirs, ratio: ours / theirs });
    }
    rounds.sort((a, b) => a.ratio - b.ratio);
    return rounds[1];
  },
  /** New answers for 200 at once, against the ideal schedule. */
  async new() {
    const base = await serve();
    const [requests, atOnce, latencyMs] = [4_000, 200, 200];
    const bodyOf = (word) => (n) => JSON.stringify({ inputs: { note: `${word} ${n} in the galley` } });
    // A server that has answered before.
    await rate(base, "/templates/sort/answers", bodyOf("oil"), atOnce, 1_000);
    const began = performance.now();
    await rate(base, "/templates/sort/answers", bodyOf("smoke"), atOnce, requests);
    const wallMs = performance.now() - began;
    return { requests, atOnce, wallMs, ratio: (requests / atOnce) * (latencyMs / wallMs) };
  },
  /** How long after a row was recorded a listener hears of it. */
  async event() {
    const server = client({ base: await serve(), token });
    const end = new AbortController();
    const heard = new Map();
    void server.listen(({ type, data }) => type === "cells" && data.keys?.forEach((key) => heard.set(key, performance.now())), {
      signal: end.signal,
    });
    await new Promise((resolve) => setTimeout(resolve, 500));
    const delays = [];
    for (let n = 0; n < 20; n++) {
      const began = performance.now();
      await server.changeCell({ plan: "log", key: `N-${n}`, column: "topic", value: "fire" });
      while (!heard.has(`N-${n}`)) await new Promise((resolve) => setTimeout(resolve, 1));
      delays.push(heard.get(`N-${n}`) - began);
    }
    end.abort();
    return { slowestMs: Math.max(...delays), medianMs: delays.sort((a, b) => a - b)[10] };
  },
  /** One known answer after another. */
  async one() {
    const base = await serve();
    const body = JSON.stringify({ inputs: { note: "smoke in the galley" } });
    await rate(base, "/templates/sort/answers", () => body, 1, 300);
    const count = 2_000;
    const perSecond = await rate(base, "/templates/sort/answers", () => body, 1, count);
    return { msEach: 1_000 / perSecond };
  },
};

/** Requests a second, so many at once. */
async function rate(base, to, bodyOf, atOnce, requests) {
  const pool = new Pool(base, { connections: atOnce });
  let next = 0;
  const began = performance.now();
  await Promise.all(
    Array.from({ length: atOnce }, async () => {
      while (next < requests) {
        const { body, statusCode } = await pool.request({ path: to, method: "POST", headers, body: bodyOf(next++) });
        await body.text();
        if (statusCode !== 200) throw new Error(`HTTP ${statusCode}`);
      }
    }),
  );
  const perSecond = requests / ((performance.now() - began) / 1_000);
  await pool.close();
  return perSecond;
}

const measured = await MODES[mode]();
console.log(JSON.stringify({ ...measured, ...(more ? { more } : {}) }));
for (const child of running) child.kill("SIGINT");
process.exit(0);
