import type { RowSource, Table } from "../../core/index.js";
import { fileHash, fileTable, type FileTableOptions } from "../../files/index.js";
import { columnsOf, jsonlFormat } from "./jsonl-format.js";
import { valuesOf } from "./line.js";
import { readLines } from "./lines.js";

/** Which JSON Lines file is a table, and how. */
export type JsonlTableOptions = FileTableOptions;

/**
 * A JSON Lines file (one object on each line) as a table.
 *
 * @example
 * ```ts
 * import { writeFileSync } from "node:fs";
 * import { jsonlTable } from "yoroshi/node";
 *
 * writeFileSync("notes.jsonl", '{"id":"1","text":"Late again."}\n');
 * await jsonlTable({ file: "notes.jsonl", key: "id" }).columns(); // => ["id", "text"]
 * ```
 */
export function jsonlTable(options: JsonlTableOptions): Table {
  return fileTable(options, jsonlFormat(options.key));
}

/** All rows of a JSON Lines file in a stream. */
export function jsonlRows(file: string, name: string): RowSource {
  return {
    name,
    columns: () => columnsOf(file, name),
    async *rows() {
      for await (const { lines } of readLines(file, name)) {
        yield lines.flatMap((line) => {
          const values = valuesOf(line);
          return values ? [values] : [];
        });
      }
    },
    mark: () => fileHash(file),
  };
}
