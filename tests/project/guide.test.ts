import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import { spawnSync } from "node:child_process";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { demoProject, removeTempFolders, run } from "../helpers/cli.js";

const root = fileURLToPath(new URL("../..", import.meta.url));
const folder = path.join(root, "node_modules", ".guide");
const blocks = [...readFileSync(path.join(root, "docs/guide/6-library.md"), "utf8").matchAll(/```ts\n([\s\S]*?)```/g)].map(
  (match) => match[1]!,
);
const imports = (text: string): string => (text.match(/^import .*$/gm) ?? []).join("\n");
const body = (text: string): string => text.replace(/^import .*$/gm, "");

beforeAll(() => mkdirSync(folder, { recursive: true }));
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
  removeTempFolders();
});

/** Compiles a guide's code strictly against the published types, then runs it. */
async function compileAndRun(name: string, code: string): Promise<Record<string, unknown>> {
  writeFileSync(path.join(folder, `${name}.ts`), code);
  writeFileSync(
    path.join(folder, "tsconfig.json"),
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
  return (await import(pathToFileURL(path.join(folder, "out", `${name}.js`)).href)) as Record<string, unknown>;
}

describe("the library guide", () => {
  it("has code that compiles and does what it says", async () => {
    const [asking, filling, project, typed, derived, rows, jobs, many, own, contracts] = blocks as [
      string,
      string,
      string,
      string,
      string,
      string,
      string,
      string,
      string,
      string,
    ];
    const standin = 'import { standin } from "yoroshi/standin";\nconst key = "none";\n';
    const made = await compileAndRun(
      "library",
      [
        imports(asking),
        imports(filling),
        standin,
        body(asking).replace(/^const model = .*$/m, "const model = standin();\nvoid [chatCompletions, viaFetch, key];"),
        'const rows = [{ id: "1", text: "I am angry, a complaint." }, { id: "2", text: "The plain facts." }];',
        body(filling),
        "export { answer, report, table };",
      ].join("\n"),
    );
    expect(made["answer"]).toMatchObject({ state: "answered" });
    expect(made["report"]).toMatchObject({ filled: 2 });
    expect((made["table"] as { rows: { tone: string }[] }).rows.map((row) => row.tone)).toEqual(["upset", "calm"]);
    const opened = await compileAndRun("project", `${project.replace('"marrowby"', JSON.stringify(demoProject()))}\nexport { report };`);
    expect(opened["report"]).toMatchObject({ asked: 10 });
    const demo = demoProject();
    expect(await run(["types", "--out", path.join(folder, "yoroshi-templates.d.ts")], demo)).toMatchObject({ code: 0 });
    // A hazard that the reference does not have would not compile.
    const asked = await compileAndRun(
      "typed",
      `${typed.replace('"marrowby"', JSON.stringify(demo))}\nexport const hazard: "mooring" | "slip-trip-fall" | "fire" | "machinery" | "navigation" | "vehicle-deck" | "passenger-conduct" | "health" | "spill" | "lifesaving-gear" | "unclear" | undefined = answer.parts?.hazard;\n// @ts-expect-error the template has no such input\nawait project.ask("hazard-triage", { raport: "x" }).catch(() => undefined);`,
    );
    expect(asked["hazard"]).toBe("mooring");
    const groups = await compileAndRun("derived", `${derived.replace('"marrowby"', JSON.stringify(demoProject()))}\nexport { table };`);
    expect((groups["table"] as { rows: Record<string, string>[] }).rows).toHaveLength(5);
    const given = await compileAndRun("rows", `${rows.replace('"marrowby"', JSON.stringify(demoProject()))}\nexport { grave };`);
    expect((given["grave"] as string[]).length).toBeGreaterThan(10);
    const job = await compileAndRun("jobs", `${jobs.replace('"marrowby"', JSON.stringify(demoProject()))}\nexport { report };`);
    expect(job["report"]).toMatchObject({ plan: "triage", asked: 5 });
    const together = await compileAndRun("many", `${many.replace('"marrowby"', JSON.stringify(demoProject()))}\nexport { states };`);
    expect(together["states"]).toEqual(["answered", "answered", "answered"]);
    const doGenerate =
      'async () => ({ content: [{ type: "text", text: JSON.stringify({ gist: "late" }) }], finishReason: "stop", usage: { inputTokens: 9, outputTokens: 2 } })';
    const provider = `const provider: Provider = { specificationVersion: "v3", provider: "own", modelId: "small", doGenerate: ${doGenerate} };`;
    const plugged = await compileAndRun("own", `${own.replace(/^declare const provider.*$/m, provider)}\nexport { answer };`);
    await compileAndRun("contracts", contracts);
    expect(plugged["answer"]).toMatchObject({ state: "answered", parts: { gist: "late" } });
  }, 300_000);
});
