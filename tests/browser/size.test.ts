import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";
import { build } from "vite";
import { afterAll, expect, it } from "vitest";

const folder = fileURLToPath(new URL("../../node_modules/.size", import.meta.url));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Builds a page that uses the core, as an application would, and gives its code's size in kB, gzipped. */
async function builtKb(code: string): Promise<number> {
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, "index.html"), '<!doctype html><script type="module" src="./main.js"></script>');
  writeFileSync(path.join(folder, "main.js"), code);
  await build({ root: folder, logLevel: "error", configFile: false });
  const assets = path.join(folder, "dist/assets");
  return readdirSync(assets).reduce((sum, file) => sum + gzipSync(readFileSync(path.join(assets, file)), { level: 9 }).length, 0) / 1000;
}

it("the core is small enough for a page: templates, asking, trials and fills in 120 kB, gzipped", async () => {
  const used = "ask, template, prepare, plan, fill, preview, survey, trial, compare, memoryLedger, memoryTable, memoryRelated, chatCompletions, viaFetch, systemClock";
  const kb = await builtKb(`import { ${used} } from "yoroshi"; globalThis.used = [${used}];`);
  expect(kb).toBeGreaterThan(50);
  expect(kb).toBeLessThanOrEqual(120);
  // With everything, the reading of YAML and the drafting of templates too.
  const all = await builtKb('import * as all from "yoroshi"; globalThis.used = Object.values(all);');
  process.stdout.write(`core in a page: ${kb.toFixed(1)} kB, all of it ${all.toFixed(1)} kB\n`);
});
