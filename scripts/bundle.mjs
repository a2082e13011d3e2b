// Puts the command line into few files, without spaces and long names: finding and reading several hundred modules takes Node longer than
// the work of a small command. Native code, the tokenizer's large
// tables, and what few commands need (charts, or a form that does not bundle) stay packages.
import { writeFileSync } from "node:fs";
import path from "node:path";
import { build } from "rolldown";
import { noticesOf } from "./notices.mjs";

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
    "bullmq",
    "pino",
    "tesseract.js",
    "sharp",
    "unpdf",
    "mammoth",
    /^pdfjs-dist/,
    "@napi-rs/canvas",
    "@opentelemetry/api",
  ],
  output: { dir: "dist/bin", format: "esm", minify: true, chunkFileNames: "[name]-[hash].js", cleanDir: true },
});

// What is bundled keeps its licence beside it.
const modules = output.flatMap((chunk) => (chunk.type === "chunk" ? Object.keys(chunk.modules) : []));
writeFileSync("dist/bin/THIRD-PARTY.txt", noticesOf(modules, "The command line"));
