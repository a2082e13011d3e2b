import { spawn, type ChildProcess } from "node:child_process";
import { createHash } from "node:crypto";
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";

export const MAIN = fileURLToPath(new URL("../../dist/bin/yoroshi.js", import.meta.url));
const DEMO = fileURLToPath(new URL("../../demo", import.meta.url));

export interface Ran {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
  /** Standard output's last line, read as JSON. */
  json<T = Record<string, never>>(): T;
}

/** Starts the built command line, with an input to be written to. */
export const startWithInput = (args: readonly string[], cwd: string): ReturnType<typeof start> => start(args, cwd, {}, "pipe");

/** What was started and has not ended. */
const running = new Set<ChildProcess>();

/** Starts the built command line. */
export function start(
  args: readonly string[],
  cwd: string,
  env: Record<string, string> = {},
  input: "ignore" | "pipe" = "ignore",
): { child: ChildProcess; done: Promise<Ran>; said(): string } {
  keepLedgerThere(cwd);
  const child = spawn(process.execPath, [MAIN, ...args], {
    cwd,
    env: { ...process.env, NO_COLOR: "1", FORCE_COLOR: "0", ...env },
    stdio: [input, "pipe", "pipe"],
  });
  running.add(child);
  child.on("close", () => running.delete(child));
  let out = "";
  let err = "";
  child.stdout!.on("data", (chunk: Buffer) => (out += chunk.toString()));
  child.stderr!.on("data", (chunk: Buffer) => (err += chunk.toString()));
  const done = new Promise<Ran>((resolve) =>
    child.on("close", (code) => resolve({ code, out, err, json: () => JSON.parse(out.trim().split("\n").at(-1)!) })),
  );
  return { child, done, said: () => err + out };
}

export const run = (args: readonly string[], cwd: string, env: Record<string, string> = {}): Promise<Ran> => start(args, cwd, env).done;

const made: string[] = [];

export function tempFolder(): string {
  const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-cli-"));
  made.push(folder);
  return folder;
}

/** Also ends what a test that failed has left running in them. */
export function removeTempFolders(): void {
  for (const child of running) child.kill("SIGKILL");
  for (const folder of made.splice(0)) rmSync(folder, { recursive: true, force: true });
}

/**
 * Where `YOROSHI_TEST_LEDGER` names a PostgreSQL database by its address, the projects of tests keep their ledgers there, each in a schema of its
 * own; what is measured of the file itself is left out.
 */
export const LEDGER_DATABASE = process.env["YOROSHI_TEST_LEDGER"];
function keepLedgerThere(folder: string): void {
  const file = path.join(folder, "yoroshi.yaml");
  if (LEDGER_DATABASE === undefined || !existsSync(file)) return;
  const text = readFileSync(file, "utf8");
  if (/^ledger:/m.test(text) || !text.startsWith("yoroshi: project/1")) return;
  const entry = `ledgers: { url: "${LEDGER_DATABASE}" }`;
  const schema = `t${createHash("sha256").update(folder).digest("hex").slice(0, 20)}`;
  const there = /^databases:\s*\n(?=\s)/m.test(text)
    ? text.replace(/^databases:\s*\n(\s+)/m, `databases:\n$1${entry}\n$1`)
    : /^databases: \{/m.test(text)
      ? text.replace(/^databases: \{/m, `databases: { ${entry},`)
      : `${text.trimEnd()}\ndatabases: { ${entry} }\n`;
  writeFileSync(file, `${there.trimEnd()}\nledger: { database: ledgers, schema: ${schema} }\n`);
}

/** A copy of the demo project. */
export function demoProject(): string {
  const folder = path.join(tempFolder(), "marrowby");
  cpSync(DEMO, folder, { recursive: true });
  return folder;
}

/** A small project with one template and one plan over `log.csv`, asked at an address. */
export function smallProject(
  csv: string | Buffer,
  { endpoint = "standin", atOnce = 8, more = "", model = "" }: { endpoint?: string; atOnce?: number; more?: string; model?: string } = {},
): string {
  const folder = tempFolder();
  const put = (file: string, text: string | Buffer): void => {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  };
  put(
    "yoroshi.yaml",
    `yoroshi: project/1\nmodels:\n  quick: { endpoint: "${endpoint}", id: standin-small, price: { input: 0.15, output: 0.6 }${model} }\n`,
  );
  put(
    "templates/sort.yaml",
    `yoroshi: template/1
name: sort
inputs:
  note: { kind: text, maxChars: 2000 }
task: |
  What is this note about, and how bad is it? {{ note }}
answer:
  why: { kind: text, about: The words that decided it, maxChars: 100 }
  topic: { kind: choice, options: { fire: flames and smoke, spill: oil and water, engine: "motors, pumps" }, otherwise: other }
  level: { kind: score, from: 1, to: 5 }
`,
  );
  put(
    "plans/log.yaml",
    `yoroshi: plan/1
name: log
table: { file: log.csv, key: id }
steps:
  sort:
    template: sort
    inputs: { note: note }
    fill: { topic: topic, level: level, because: why }
limits: { atOnce: ${atOnce} }
${more}`,
  );
  put("log.csv", csv);
  return folder;
}

/** Rows of distinct notes. */
export function notesCsv(count: number): string {
  const words = [
    "smoke in the galley",
    "oil on the water",
    "the motor stopped",
    "a parcel for the office",
    "flames behind the dryer",
    "pump leaks oil",
  ];
  return `id,note\n${Array.from({ length: count }, (_, index) => `n${index},"Note ${index}: ${words[index % words.length]}, seen at ${index % 24} o'clock."`).join("\n")}\n`;
}
