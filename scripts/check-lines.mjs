// Lines are at most 140 wide, but for texts that cannot be broken: what stands in quotes, in a template, in SQL or in a style sheet.
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";

const MOST = 140;
const LEAST_FILES = 300;
const FOLDERS = ["src", "tests", "bench", "scripts", "examples"];
const isText = (line) => /["'`]|\\[bsdn.]|^\s*(?:SELECT|INSERT|CREATE|[:.@#a-z][^;]*\{ )/.test(line);

let files = 0;
const wide = [];
for (const folder of FOLDERS) {
  for (const file of readdirSync(folder, { recursive: true })) {
    if (!/\.(?:ts|tsx|mjs)$/.test(file) || /(?:^|\/)(?:node_modules|dist)\//.test(file)) continue;
    files++;
    const lines = readFileSync(path.join(folder, file), "utf8").split("\n");
    for (const [index, line] of lines.entries())
      if (line.length > MOST && !isText(line)) wide.push(`${path.join(folder, file)}:${index + 1}`);
  }
}
if (files < LEAST_FILES) wide.push(`only ${files} files were read`);
for (const place of wide) console.error(`wider than ${MOST}: ${place}`);
process.exit(wide.length > 0 ? 1 : 0);
