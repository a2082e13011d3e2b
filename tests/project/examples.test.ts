import { spawnSync } from "node:child_process";
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import Database from "better-sqlite3";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";
import { document, workbook } from "../helpers/workbook.js";

const root = fileURLToPath(new URL("../..", import.meta.url));
const folder = path.join(root, "node_modules", ".examples");
const work = mkdtempSync(path.join(tmpdir(), "yoroshi-examples-"));
let base: TestDatabase | undefined;
afterAll(async () => {
  await base?.close();
  for (const one of [folder, work]) rmSync(one, { recursive: true, force: true });
});

/** The examples of the docs comments, by the name of what they stand above. */
const examples = new Map(
  (readdirSync(path.join(root, "src"), { recursive: true }) as string[])
    .filter((file) => file.endsWith(".ts") && !/\.test(-d)?\.ts$/.test(file))
    .flatMap((file) => {
      const text = readFileSync(path.join(root, "src", file), "utf8");
      return [
        ...text.matchAll(/@example\n \* ```ts\n([\s\S]*?)\n \* ```\n \*\/\nexport (?:async )?(?:function\*?|class|const) (\w+)/g),
      ].map(([, code, name]) => [name!, code!.replace(/^ \* ?/gm, "")] as const);
    }),
);

/** What an example takes from that of `fill`. */
const fillSetup = examples.get("fill")!.split("\nconst { filled")[0]!;
const SHARED = `${fillSetup}\nconst prepared = prepare(tone);\nexport { prepared, setup };\n`;

/** `expression; // => value` becomes a comparison. */
const compared = (code: string): string =>
  code.replace(
    /^(.+?);\s*\/\/ => (.+)$/gm,
    (_, expression: string, value: string) => `same(${JSON.stringify(expression)}, ${expression}, ${value});`,
  );

function program(name: string, code: string): string {
  const shared = ["setup", "prepared"].filter(
    (one) => new RegExp(`\\b${one}\\b`).test(code) && !new RegExp(`const (?:\\{ )?${one}\\b`).test(code),
  );
  return [
    'import { same } from "./same.js";',
    ...(shared.length > 0 ? [`import { ${shared.join(", ")} } from "./${name}-shared.js";`] : []),
    compared(code),
    "export {};",
  ].join("\n");
}

const results: Record<string, string> = {};
beforeAll(async () => {
  mkdirSync(folder, { recursive: true });
  const put = (file: string, text: string): void => writeFileSync(path.join(folder, file), text);
  put(
    "same.ts",
    'import { deepEqual } from "node:assert/strict";\nexport const same = (what: string, found: unknown, expected: unknown): void => deepEqual(typeof found === "number" && typeof expected === "number" ? Number(found.toPrecision(6)) : found, expected, `${what} is ${JSON.stringify(found)}`);\n',
  );
  for (const [name, code] of examples) {
    put(`${name}.ts`, program(name, code));
    put(`${name}-shared.ts`, SHARED);
  }
  put(
    "all.ts",
    `const told: Record<string, string> = {};\nconsole.log = () => undefined;\n${[...examples.keys()].map((name) => `await import("./${name}.js").then(() => (told["${name}"] = "right"), (error: Error) => (told["${name}"] = error.message));`).join("\n")}\nprocess.stdout.write(JSON.stringify(told));\nprocess.exit();\n`,
  );
  put(
    "tsconfig.json",
    JSON.stringify({
      extends: "../../tsconfig.base.json",
      compilerOptions: { lib: ["ES2023", "DOM"], types: ["node"], noUnusedLocals: false, declaration: false, outDir: "out" },
      include: ["*.ts"],
    }),
  );
  const { status, stdout } = spawnSync(process.execPath, [path.join(root, "node_modules/typescript/bin/tsc"), "-p", folder], {
    encoding: "utf8",
  });
  expect([status, stdout]).toEqual([0, ""]);
  // What the examples find beside them.
  cpSync(path.join(root, "demo"), path.join(work, "marrowby"), { recursive: true });
  writeFileSync(
    path.join(work, "notes.xlsx"),
    workbook(
      [
        ["id", "text"],
        ["1", "Late again."],
      ],
      { name: "Notes" },
    ),
  );
  writeFileSync(
    path.join(work, "notes.ods"),
    document(
      [
        ["id", "text"],
        ["1", "Late again."],
      ],
      "Notes",
    ),
  );
  const db = new Database(path.join(work, "log.sqlite"));
  db.exec("CREATE TABLE log (id TEXT PRIMARY KEY, note TEXT); INSERT INTO log VALUES ('1', 'Late again.')");
  db.close();
  base = await postgresDatabase();
  const env = { ...process.env, DATABASE_URL: (base.place as { url: string }).url };
  const run = spawnSync(process.execPath, [path.join(folder, "out", "all.js")], { cwd: work, encoding: "utf8", env });
  expect([run.status, run.stderr]).toEqual([0, ""]);
  Object.assign(results, JSON.parse(run.stdout));
});

describe("the example in the docs comment", () => {
  it.each([...examples.keys()])("of %s compiles, runs and gives what it says", (name) => {
    expect(results[name]).toBe("right");
  });
});

it("yoroshi has at most 125 names, and nothing of the package can be reached but by its entries", async () => {
  const list = readFileSync(path.join(root, "src/index.ts"), "utf8").replace(/\/\/.*$/gm, "");
  const names = [...list.matchAll(/export \{([^}]*)\}/g)].flatMap(([, body]) => body!.split(",").filter((name) => name.trim() !== ""));
  expect(names.length).toBeLessThanOrEqual(125);
  expect(list).not.toContain("export *");
  for (const inner of ["yoroshi/dist/core/index.js", "yoroshi/core", "yoroshi/dist/index.js"])
    await expect(import(/* @vite-ignore */ inner), inner).rejects.toThrow();
});

it("every function and class that the package exports has one", async () => {
  const entries = ["index", "node", "statistics", "contracts/index", "standin"];
  const built = entries.map((entry) => pathToFileURL(path.join(root, "dist", `${entry}.js`)).href);
  const exported = await Promise.all(built.map(async (url) => Object.entries((await import(url)) as object)));
  const functions = exported.flat().flatMap(([name, value]) => (typeof value === "function" ? [name] : []));
  expect(functions.filter((name) => !examples.has(name) && name !== "ContractBroken")).toEqual([]);
});
