// What the benches of spread fills share: a server whose answers take a while, projects on a ledger in PostgreSQL, and processes.
import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { createHash } from "node:crypto";
import path from "node:path";
import { fileURLToPath } from "node:url";

const main = fileURLToPath(new URL("../dist/bin/yoroshi.js", import.meta.url));
const TICKS = 100;

/** Answers after `ms`; beyond `perMinute` in any minute it says that it is too much. `seen` has the time of each row's answer. */
export async function answering(ms, { perMinute = Infinity } = {}) {
  const seen = { answered: [], refused: [] };
  const lately = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", (piece) => (body += piece));
    request.on("end", () => {
      const isRow = body.includes("Note ");
      const now = performance.now();
      while (lately.length > 0 && now - lately[0] >= 60_000) lately.shift();
      if (isRow && lately.length >= perMinute) {
        seen.refused.push(now);
        return void response.writeHead(429, { "content-type": "application/json" }).end("{}");
      }
      if (isRow) {
        lately.push(now);
        seen.answered.push(now);
      }
      const reply = {
        id: "x",
        choices: [{ finish_reason: "stop", message: { content: JSON.stringify({ why: "as it says", topic: "fire", level: 3 }) } }],
        usage: { prompt_tokens: 200, completion_tokens: 20 },
      };
      const end = () => response.writeHead(200, { "content-type": "application/json" }).end(JSON.stringify(reply));
      if (isRow && ms > 0) setTimeout(end, ms);
      else end();
    });
  }).listen(0, "127.0.0.1");
  await new Promise((resolve) => server.once("listening", resolve));
  return { seen, endpoint: `http://127.0.0.1:${server.address().port}/v1`, close: () => server.close() };
}

/** A project of so many rows; with an address its ledger is in that database, in a schema of its own. */
export function project(root, { endpoint, rows, url, atOnce, limits = "" }) {
  const name = createHash("sha256").update(`${root} ${process.pid} ${performance.now()}`).digest("hex").slice(0, 12);
  const folder = path.join(root, name);
  const put = (file, text) => {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  };
  const ledger = url === undefined ? "" : `databases: { main: { url: "${url}" } }\nledger: { database: main, schema: bench_${name} }\n`;
  put(
    "yoroshi.yaml",
    `yoroshi: project/1\nmodels:\n  quick: { endpoint: "${endpoint}", id: m, price: { input: 1, output: 1 }${limits} }\n${ledger}`,
  );
  put(
    "templates/sort.yaml",
    'yoroshi: template/1\nname: sort\ninputs: { note: { kind: text } }\ntask: "What is this about? {{ note }}"\nanswer:\n  why: { kind: text, about: The words that decided it }\n  topic: { kind: choice, options: [fire, spill] }\n  level: { kind: score, from: 1, to: 5 }\n',
  );
  put(
    "plans/log.yaml",
    `yoroshi: plan/1\nname: log\ntable: { file: log.csv, key: id }\nsteps:\n  sort: { template: sort, inputs: { note: note }, fill: { topic: topic, level: level } }\n${atOnce === undefined ? "" : `limits: { atOnce: ${atOnce} }\n`}`,
  );
  put("log.csv", `id,note\n${Array.from({ length: rows }, (_, n) => `n${n},Note ${n}: smoke behind the dryer at ${n % 24}`).join("\n")}\n`);
  return { folder, schema: `bench_${name}` };
}

/** Seconds that the machine's processors were busy since it began. */
export function busySeconds() {
  const [user, nice, system, , , irq, softirq] = readFileSync("/proc/stat", "utf8").split("\n")[0].trim().split(/\s+/).slice(1).map(Number);
  return (user + nice + system + irq + softirq) / TICKS;
}

/** A command in a folder; its CPU seconds are read while it lives, the last time just before it ends. */
export function command(folder, args) {
  const child = spawn(process.execPath, [main, ...args], { cwd: folder, stdio: ["ignore", "ignore", "ignore"] });
  let cpu = 0;
  const look = () => {
    try {
      const fields = readFileSync(`/proc/${child.pid}/stat`, "utf8").split(") ")[1].split(" ");
      cpu = (Number(fields[11]) + Number(fields[12])) / TICKS;
    } catch {
      // It has ended.
    }
  };
  const looking = setInterval(look, 50);
  const done = new Promise((resolve) => child.on("close", (code) => (clearInterval(looking), resolve({ code, cpu }))));
  return { child, done, cpu: () => (look(), cpu) };
}

/**
 * Fills once: alone, or spread to so many workers that are there before it begins.
 *
 * @returns seconds of the whole command and of the asking alone, rows, and the CPU seconds of all its processes.
 */
export async function filled(root, server, { workers, atOnce, rows, url, limits, chunk = 200 }) {
  const { folder, schema } = project(root, { endpoint: server.endpoint, rows, url, limits, atOnce: workers === 0 ? atOnce : undefined });
  const hands = Array.from({ length: workers }, () => command(folder, ["work", "--json", "--at-once", String(atOnce)]));
  if (workers > 0) await new Promise((resolve) => setTimeout(resolve, 3_000));
  const before = server.seen.answered.length;
  const busyBefore = busySeconds();
  const cpuBefore = hands.reduce((sum, hand) => sum + hand.cpu(), 0);
  const began = performance.now();
  const spread = workers === 0 ? [] : ["--spread", "--chunk", String(chunk)];
  const { code, cpu } = await command(folder, ["fill", "log", "--json", ...spread]).done;
  const seconds = (performance.now() - began) / 1000;
  if (code !== 0) throw new Error(`the fill ended with ${code}`);
  const busy = busySeconds() - busyBefore;
  const cpuOfHands = hands.reduce((sum, hand) => sum + hand.cpu(), 0) - cpuBefore;
  for (const hand of hands) hand.child.kill("SIGTERM");
  await Promise.all(hands.map((hand) => hand.done));
  const answered = server.seen.answered.slice(before);
  const [from, to] = [Math.floor(answered.length / 4), Math.floor((answered.length * 3) / 4)];
  const steady = ((to - from) * 1_000) / (answered[to] - answered[from]);
  return {
    rows,
    schema,
    steady,
    seconds,
    asking: (answered.at(-1) - answered[0]) / 1000,
    asked: answered.length,
    cpu: cpu + cpuOfHands,
    cpuOfHands,
    busy,
  };
}
