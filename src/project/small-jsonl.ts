import { readFile } from "node:fs/promises";
import { YoroshiError } from "../core/index.js";

/** A small JSON Lines file (one object a line) whole. */
export async function readSmallJsonl(
  file: string,
  name: string,
): Promise<{ columns: string[]; rows: { place: string; values: Record<string, string> }[] }> {
  const text = await readFile(file, "utf8").catch(() => {
    throw new YoroshiError("fileUnreadable", { file: name, problem: "there is no such file" });
  });
  const rows = text
    .replace(/^\ufeff/, "")
    .split(/\r?\n/)
    .flatMap((line, index) => {
      if (line.trim() === "") return [];
      const place = `line ${index + 1}`;
      const object = parsed(line);
      if (object === null || typeof object !== "object" || Array.isArray(object))
        throw new YoroshiError("tableBroken", { table: name, place, problem: "this line is not a JSON object." });
      return [{ place, values: Object.fromEntries(Object.entries(object).map(([column, value]) => [column, textOf(value)])) }];
    });
  return { columns: [...new Set(rows.flatMap((row) => Object.keys(row.values)))], rows };
}

/** Lists stand one item a line, as they do in a cell; other structures as JSON. */
function textOf(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (Array.isArray(value) && value.every((item) => typeof item === "string")) return value.join("\n");
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}

function parsed(line: string): unknown {
  try {
    return JSON.parse(line);
  } catch {
    return undefined;
  }
}
