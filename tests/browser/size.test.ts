import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";
import { build } from "vite";
import { afterAll, expect, it } from "vitest";

const folder = fileURLToPath(new URL("../../node_modules/.size", import.meta.url));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/**
 * Builds a page that uses the core, as an application would, and gives its code's size in kB, gzipped: what the page
 * loads at first, and what it loads when it is needed.
 */
async function builtKb(code: string): Promise<{ first: number; later: number; patterns: number; markup: number }> {
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, "index.html"), '<!doctype html><script type="module" src="./main.js"></script>');
  writeFileSync(path.join(folder, "main.js"), code);
  // What the builder adds to load files ahead of time is not the core's.
  await build({ root: folder, logLevel: "error", configFile: false, build: { modulePreload: false } });
  const assets = path.join(folder, "dist/assets");
  const html = readFileSync(path.join(folder, "dist/index.html"), "utf8");
  const texts = new Map(readdirSync(assets).map((file) => [file, readFileSync(path.join(assets, file), "utf8")]));
  const first = new Set([...texts.keys()].filter((file) => html.includes(file)));
  // What the first file imports outright is loaded with it; the set grows while it is walked.
  for (const file of first) for (const [, name] of texts.get(file)!.matchAll(/(?:from|import)\s*["']\.\/([^"']+)["']/g)) first.add(name!);
  const sizes = { first: 0, later: 0, patterns: 0, markup: 0 };
  for (const [file, code] of texts) {
    const kind = first.has(file)
      ? "first"
      : code.includes("error parsing regexp")
        ? "patterns"
        : code.includes("html_block")
          ? "markup"
          : "later";
    sizes[kind] += gzipSync(code, { level: 9 }).length / 1000;
  }
  return sizes;
}

it("the core is small enough for a page: templates, asking, trials and fills in 150 kB, gzipped", async () => {
  const used =
    "ask, template, prepare, plan, fill, preview, survey, trial, memoryLedger, memoryTable, memoryRelated, chatCompletions, viaFetch, systemClock";
  const { first, later, patterns, markup } = await builtKb(`import { ${used} } from "yoroshi"; globalThis.used = [${used}];`);
  expect(first).toBeGreaterThan(50);
  expect(first).toBeLessThanOrEqual(150);
  // Figures of trials, long inputs, second looks, several rows in a request, evidence and what is looked up come when they are used.
  expect(later).toBeGreaterThan(5);
  expect(later).toBeLessThanOrEqual(40);
  // What matches regular expressions comes where a template or a condition has one.
  expect(patterns).toBeGreaterThan(20);
  expect(patterns).toBeLessThanOrEqual(60);
  // What renders Markdown comes where a text becomes HTML.
  expect(markup).toBeGreaterThan(20);
  expect(markup).toBeLessThanOrEqual(60);
  // With everything, the reading of YAML and the drafting of templates too.
  const all = await builtKb('import * as all from "yoroshi"; globalThis.used = Object.values(all);');
  process.stdout.write(
    `core in a page: ${first.toFixed(1)} kB at first, ${later.toFixed(1)} kB when needed, ${patterns.toFixed(1)} kB with patterns, ${markup.toFixed(1)} kB with Markdown; all of it ${all.first.toFixed(1)} kB\n`,
  );
});

it("the desk loads 350 kB at first, 900 kB in all, gzipped, and every page that needs no editor works without it", () => {
  const desk = fileURLToPath(new URL("../../dist/desk", import.meta.url));
  const texts = new Map(
    readdirSync(path.join(desk, "assets"))
      .filter((file) => file.endsWith(".js"))
      .map((file) => [file, readFileSync(path.join(desk, "assets", file), "utf8")]),
  );
  const html = readFileSync(path.join(desk, "index.html"), "utf8");
  const first = new Set([...texts.keys()].filter((file) => html.includes(file)));
  for (const file of first) for (const [, name] of texts.get(file)!.matchAll(/(?:from|import)\s*["']\.\/([^"']+)["']/g)) first.add(name!);
  const kb = (files: Iterable<string>): number =>
    [...files].reduce((sum, file) => sum + gzipSync(texts.get(file)!, { level: 9 }).length / 1000, 0);
  expect(first.size).toBeGreaterThan(1);
  expect(kb(first)).toBeGreaterThan(80);
  expect(kb(first)).toBeLessThanOrEqual(350);
  expect(kb(texts.keys())).toBeLessThanOrEqual(900);
  const editor = [...texts].find(([, code]) => code.includes("cm-content"))![0];
  expect(first.has(editor)).toBe(false);
  process.stdout.write(`the desk: ${kb(first).toFixed(1)} kB at first, ${kb(texts.keys()).toFixed(1)} kB in all\n`);
});

it("the client is small, and has nothing of the server or the jobs in it", async () => {
  const { first, later } = await builtKb('import { client } from "yoroshi/client"; globalThis.used = client;');
  expect(first).toBeGreaterThan(1);
  expect(first).toBeLessThanOrEqual(6);
  expect(later).toBe(0);
});
