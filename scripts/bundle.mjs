// Puts the command line into few files: finding and reading several hundred modules takes Node longer than the work
// of a small command. Native code, the tokenizer's large
// tables, and what few commands need (charts, or a form that does not bundle) stay packages.
import { build } from "rolldown";

await build({
  input: { yoroshi: "dist/cli/main.js" },
  platform: "node",
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
  output: { dir: "dist/bin", format: "esm", chunkFileNames: "[name]-[hash].js", cleanDir: true },
});
