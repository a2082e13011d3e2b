import { existsSync, readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { readWordSense, type WordSense } from "../../core/standin/index.js";

let sense: WordSense | undefined;
let isRead = false;

/** What words mean to each other, from the file that ships with the package; without it the stand-in knows equal words only. */
export function wordSense(): WordSense | undefined {
  if (isRead) return sense;
  isRead = true;
  let folder = path.dirname(fileURLToPath(import.meta.url));
  while (!existsSync(path.join(folder, "package.json"))) folder = path.dirname(folder);
  const file = path.join(folder, "data", "words.bin");
  if (existsSync(file)) sense = readWordSense(readFileSync(file));
  return sense;
}
