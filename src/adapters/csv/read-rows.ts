import { readRecords } from "./records.js";
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
      else if (record.some((cell) => cell !== "")) rows.push({ place: `row ${row}`, values: Object.fromEntries(columns.map((column, i) => [column, record[i] ?? ""])) });
    });
  }
  return { columns, rows };
}
