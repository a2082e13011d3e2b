// Puts the command line into few files: finding and reading several hundred modules takes Node longer than the work
// of a small command. Native code and the tokenizer's large tables stay packages.
import { build } from "rolldown";

await build({
  input: { yoroshi: "dist/cli/main.js" },
  platform: "node",
  external: ["better-sqlite3", /^gpt-tokenizer/],
  output: { dir: "dist/bin", format: "esm", chunkFileNames: "[name]-[hash].js", cleanDir: true },
});
