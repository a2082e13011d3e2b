import type { RowSource } from "../../core/index.js";
import { fileHash } from "../../files/index.js";
import { FEW_BYTES, readRecords } from "./records.js";
import { readStyle } from "./style.js";

/** A small CSV file whole: for samples and references. */
export interface SmallCsv {
  readonly columns: readonly string[];
  readonly rows: readonly { readonly place: string; readonly values: Readonly<Record<string, string>> }[];
}

/** Reads a small CSV file whole. Throws `fileUnreadable` or `tableBroken`. */
export async function readSmallCsv(file: string, name: string): Promise<SmallCsv> {
  const style = await readStyle(file, name);
  let columns: readonly string[] = [];
  const rows: { place: string; values: Record<string, string> }[] = [];
  for await (const { records, firstRow } of readRecords(file, name, style)) {
    records.forEach((record, index) => {
      const row = firstRow + index;
      if (row === 1) columns = record.map((column) => column.trim());
      else if (record.some((cell) => cell !== ""))
        rows.push({ place: `row ${row}`, values: Object.fromEntries(columns.map((column, i) => [column, record[i] ?? ""])) });
    });
  }
  return { columns, rows };
}

/**
 * All rows of a CSV file in a stream. Throws `fileUnreadable` or `tableBroken`.
 *
 * @example
 * ```ts
 * import { csvRows } from "yoroshi/node";
 *
 * await csvRows("marrowby/reference/hazards.csv", "hazards").columns(); // => ["hazard", "meaning"]
 * ```
 */
export function csvRows(file: string, name: string): RowSource {
  return {
    name,
    columns: async () => {
      for await (const { records } of readRecords(file, name, await readStyle(file, name), FEW_BYTES))
        return (records[0] ?? []).map((column) => column.trim());
      return [];
    },
    async *rows() {
      let columns: readonly string[] = [];
      for await (const { records, firstRow } of readRecords(file, name, await readStyle(file, name))) {
        const some = firstRow === 1 ? records.slice(1) : records;
        if (firstRow === 1) columns = (records[0] ?? []).map((column) => column.trim());
        yield some
          .filter((record) => record.some((cell) => cell !== ""))
          .map((record) => Object.fromEntries(columns.map((column, index) => [column, record[index] ?? ""])));
      }
    },
    mark: () => fileHash(file),
  };
}
