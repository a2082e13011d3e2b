// Puts the command line into few files, without spaces and long names: finding and reading several hundred modules takes Node longer than
// the work of a small command. Native code, the tokenizer's large
// tables, and what few commands need (charts, or a form that does not bundle) stay packages.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { build } from "rolldown";

const { output } = await build({
  input: { yoroshi: "dist/cli/main.js" },
  platform: "node",
  // Of undici the command line needs its dispatcher alone; the rest (fetch, web sockets, caches) takes a tenth of a second to load.
  resolve: { alias: { undici: path.resolve("scripts/undici-dispatcher.mjs") } },
  external: [
    "better-sqlite3",
    /^gpt-tokenizer/,
    "jsonc-parser",
    "@observablehq/plot",
    "linkedom",
    "pg",
    "mysql2",
    "pino",
    "@opentelemetry/api",
  ],
  output: { dir: "dist/bin", format: "esm", minify: true, chunkFileNames: "[name]-[hash].js", cleanDir: true },
});

// What is bundled keeps its licence beside it.
const modules = output.flatMap((chunk) => (chunk.type === "chunk" ? Object.keys(chunk.modules) : []));
const folders = new Set(modules.flatMap((file) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file) ?? []));
const notices = [...folders].sort().map((folder) => {
  const { name, version, license } = JSON.parse(readFileSync(path.join(folder, "package.json"), "utf8"));
  const file = readdirSync(folder).find((one) => /^licen[cs]e/i.test(one));
  return `${name} ${version}, ${license}\n\n${file ? readFileSync(path.join(folder, file), "utf8").trim() : `Licence: ${license}.`}\n`;
});
if (notices.length < 10) throw new Error(`Only ${notices.length} packages were found in the bundle.`);
writeFileSync(
  "dist/bin/THIRD-PARTY.txt",
  `The command line has these packages in its files.\n\n${notices.join(`\n${"-".repeat(80)}\n\n`)}`,
);
