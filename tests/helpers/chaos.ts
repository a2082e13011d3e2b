import { createServer as createHttpServer, type Server } from "node:http";
import { once } from "node:events";
import { appendFileSync, readFileSync } from "node:fs";
import { connect, createServer, type AddressInfo, type Socket } from "node:net";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { expect } from "vitest";
import { notesCsv, run, smallProject, start } from "./cli.js";
import type { TestDatabase } from "./databases.js";

const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** A host that answers by the number of the note, counts, and storms when it is told to. */
export interface CountingHost {
  readonly endpoint: string;
  /** Note -> how often it was asked about. */
  readonly asked: Map<string, number>;
  delayMs: number;
  /** Until then it says that it is too much. */
  stormUntil: number;
  close(): void;
}

export async function countingHost(): Promise<CountingHost> {
  const asked = new Map<string, number>();
  const server: Server = createHttpServer((request, response) => {
    let body = "";
    request.on("data", (piece: Buffer) => (body += piece.toString()));
    request.on("end", () => {
      if (Date.now() < host.stormUntil) return void response.writeHead(429, { "retry-after": "1" }).end("{}");
      // Of all notes in the prompt the last is the row's; a model that is new is asked for a word without any.
      const note = [...body.matchAll(/Note (\d+):/g)].at(-1)?.[1] ?? "";
      if (note !== "") asked.set(note, (asked.get(note) ?? 0) + 1);
      const content = JSON.stringify({ why: `note ${note}`, topic: "fire", level: 1 + (Number(note) % 5) });
      const reply = {
        id: "x",
        choices: [{ finish_reason: "stop", message: { content } }],
        usage: { prompt_tokens: 100, completion_tokens: 10 },
      };
      setTimeout(() => response.writeHead(200, { "content-type": "application/json" }).end(JSON.stringify(reply)), host.delayMs);
    });
  }).listen(0, "127.0.0.1");
  await once(server, "listening");
  const host: CountingHost = {
    endpoint: `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1`,
    asked,
    delayMs: 25,
    stormUntil: 0,
    close() {
      server.closeAllConnections();
      server.close();
    },
  };
  return host;
}

export const requestsTo = ({ asked }: CountingHost): number => [...asked.values()].reduce((sum, one) => sum + one, 0);

/** The way to a database, which can be cut. */
export interface Way {
  readonly url: string;
  /** Breaks all connections off, and lets none through for a while. */
  cut(ms: number): Promise<void>;
  close(): void;
}

export async function wayTo(database: string): Promise<Way> {
  const to = new URL(database);
  const open = new Set<Socket>();
  let isCut = false;
  const server = createServer((socket) => {
    if (isCut) return void socket.destroy();
    const other = connect(Number(to.port || 5432), to.hostname);
    for (const [one, two] of [
      [socket, other],
      [other, socket],
    ] as const) {
      open.add(one);
      one.pipe(two);
      one.on("error", () => two.destroy());
      one.on("close", () => {
        open.delete(one);
        two.destroy();
      });
    }
  }).listen(0, "127.0.0.1");
  await once(server, "listening");
  const url = new URL(to);
  url.hostname = "127.0.0.1";
  url.port = String((server.address() as AddressInfo).port);
  return {
    url: url.href,
    async cut(ms) {
      isCut = true;
      for (const socket of open) socket.destroy();
      await sleep(ms);
      isCut = false;
    },
    close: () => server.close(),
  };
}

/** The small project with its ledger in a schema of a database. */
export function spreadProject(host: CountingHost, url: string, schema: string, rows: number, atOnce: number): string {
  host.asked.clear();
  const folder = smallProject(notesCsv(rows), { endpoint: host.endpoint, atOnce });
  appendFileSync(
    path.join(folder, "yoroshi.yaml"),
    `databases: { main: { url: "${url}" } }\nledger: { database: main, schema: ${schema} }\n`,
  );
  return folder;
}

/** Every row once, in its place, with the answer that is its own. */
export function expectRight(folder: string, rows: number): void {
  const filled: Record<string, string>[] = parse(readFileSync(path.join(folder, "log.filled.csv")), { columns: true });
  expect(filled.map((row) => row["id"])).toEqual(Array.from({ length: rows }, (_, n) => `n${n}`));
  const wrong = filled.filter(
    (row, n) => row["because"] !== `note ${n}` || row["level"] !== String(1 + (n % 5)) || row["topic"] !== "fire",
  );
  expect(wrong).toEqual([]);
}

/** What happens to a spread fill while it goes on. */
export interface Chaos {
  /** `atOnce`: of all workers together. */
  readonly fill: { readonly rows: number; readonly workers: number; readonly atOnce: number; readonly chunk: number };
  readonly happens: { readonly kills: number; readonly freezes: number; readonly outages: number; readonly storms: number };
}

/** A frozen worker is not seen for longer than what it holds is kept for it. */
const FREEZE_MS = 16_500;
const OUTAGE_MS = 4_000;
const STORM_MS = 1_500;
/** After that, and some time for each row, it is told where all stand. */
const LATE_MS = 70_000;

/**
 * Lets workers fill a table that are killed and frozen, cut off from the database, and met by a host's storms, each after its share of the
 * rows. Then every row has its answer, in its place; repeats are what was in flight; the cap is kept; nothing is left behind.
 *
 * @returns what was counted.
 */
export async function chaos(base: TestDatabase, host: CountingHost, schema: string, about: Chaos) {
  const way = await wayTo((base.place as { url: string }).url);
  try {
    return await chaosOn(way, base, host, schema, about);
  } finally {
    way.close();
  }
}

/** Where a fill and its workers stand that do not end. */
async function tellState(base: TestDatabase, schema: string, processes: readonly ReturnType<typeof start>[]): Promise<void> {
  const rowsOf = (what: string): Promise<unknown> => base.run(`SELECT * FROM ${schema}.${what}`);
  const state = {
    said: processes.map(({ child, said }) => [child.pid, child.exitCode, said().slice(-1_000)]),
    facts: await rowsOf("facts WHERE name ~ '^(spread|chunk|worker|down):'"),
    sessions: await rowsOf("sessions"),
    leases: await rowsOf("leases"),
    reservations: await rowsOf("reservations"),
    connections: await base.run(
      "SELECT pid, application_name AS of, state, wait_event AS waits, left(query, 90) AS query FROM pg_stat_activity WHERE datname = current_database()",
    ),
  };
  console.error("It goes on for long.", JSON.stringify(state, undefined, 1));
}

async function chaosOn(way: Way, base: TestDatabase, host: CountingHost, schema: string, { fill, happens }: Chaos) {
  const { rows, atOnce, chunk } = fill;
  const folder = spreadProject(host, way.url, schema, rows, atOnce);
  // Enough for all rows and what may be repeated, and not much more.
  const cap = (rows * 1.02 + 3 * atOnce) * 21e-6;
  const planner = start(["fill", "log", "--spread", "--chunk", String(chunk), "--spend", cap.toFixed(6), "--json"], folder);
  let isDone = false;
  void planner.done.then(() => (isDone = true));
  const join = () => start(["work", "--json"], folder);
  const workers = Array.from({ length: fill.workers }, join);
  const late = setTimeout(() => void tellState(base, schema, [planner, ...workers]).catch(console.error), fill.rows * 10 + LATE_MS);
  try {
    const frozen: Promise<void>[] = [];
    const freeze = async (worker: ReturnType<typeof join>): Promise<void> => {
      worker.child.kill("SIGSTOP");
      await sleep(FREEZE_MS);
      worker.child.kill("SIGCONT");
    };
    const events = shuffled([
      ...Array.from({ length: happens.kills }, (_, n) => async () => {
        const at = n % workers.length;
        workers[at]!.child.kill("SIGKILL");
        workers[at] = join();
      }),
      ...Array.from({ length: happens.freezes }, (_, n) => async () => void frozen.push(freeze(workers[(n + 1) % workers.length]!))),
      ...Array.from({ length: happens.outages }, () => () => way.cut(OUTAGE_MS)),
      ...Array.from({ length: happens.storms }, () => async () => void (host.stormUntil = Date.now() + STORM_MS)),
    ]);
    for (const [n, event] of events.entries()) {
      while (host.asked.size < (rows * 0.9 * (n + 0.5)) / events.length && !isDone) await sleep(20);
      await event();
    }
    const done = await planner.done;
    await Promise.all(frozen);
    // With what it said, should it ever end otherwise.
    expect({ code: done.code, said: done.code === 0 ? "" : `${done.err}${done.out}` }).toEqual({ code: 0, said: "" });
    expect(done.err).not.toContain("error");
    expect(done.json()).toMatchObject({ filled: rows, failed: 0, end: "done", written: true });
    expectRight(folder, rows);
    // A worker tells of itself every few seconds.
    await expect.poll(async () => (await run(["status", "log"], folder)).out, { timeout: 20_000 }).toMatch(/Workers\n[\s\S]*rows a minute/);
    for (const { child } of workers) child.kill("SIGTERM");
    const ends = await Promise.all(workers.map((worker) => worker.done));
    expect(ends.map(({ code }) => code)).toEqual(ends.map(() => 0));
    const states = await base.run(`SELECT state, count(*)::int AS n FROM ${schema}.cells GROUP BY state`);
    expect(states).toEqual([{ state: "filled", n: rows }]);
    // Besides the word that a new model is asked for: no request is charged twice, every row's is there, and what was reserved is given back.
    const [charged] = await base.run(
      `SELECT sum(requests)::int AS requests, sum(spent + unsure)::int AS spent FROM ${schema}.charges WHERE run <> 'probe'`,
    );
    expect(Number(charged!["requests"])).toBeLessThanOrEqual(requestsTo(host));
    expect(Number(charged!["requests"])).toBeGreaterThanOrEqual(rows);
    expect(Number(charged!["spent"])).toBeLessThanOrEqual(Math.round(cap * 1e6));
    // The report tells what was charged, also of workers that did not live to tell; a frozen one may add to it when it is awake.
    const reported = Math.round(done.json<{ spent: number }>().spent * 1e6);
    expect(reported).toBeLessThanOrEqual(Number(charged!["spent"]));
    expect(reported).toBeGreaterThanOrEqual(rows * 21);
    const held = await base.run(
      `SELECT name FROM ${schema}.leases WHERE name LIKE 'ask:%' AND session IN (SELECT id FROM ${schema}.sessions)`,
    );
    expect(held).toEqual([]);
    return { repeats: requestsTo(host) - rows, requests: requestsTo(host) };
  } finally {
    clearTimeout(late);
    // None is left behind, however it went.
    for (const { child } of [planner, ...workers]) child.kill("SIGKILL");
  }
}

/** The same order each time. */
function shuffled<T>(items: readonly T[]): T[] {
  const left = [...items];
  const out: T[] = [];
  for (let seed = 7; left.length > 0; seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648)
    out.push(...left.splice(seed % left.length, 1));
  return out;
}
