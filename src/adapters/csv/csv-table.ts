import { fileTable, type FileTableOptions } from "../../files/index.js";
import type { Table } from "../../core/index.js";
import { csvFormat, type MadeCsv } from "./csv-format.js";

/** Which CSV file is a table, and how. */
export interface CsvTableOptions extends FileTableOptions {
  /** How a file is written that is not there yet. Default: commas, no byte order mark. */
  readonly made?: MadeCsv | undefined;
}

/**
 * A CSV file (RFC 4180) as a table.
 *
 * @example
 * ```ts
 * import { csvTable } from "yoroshi/node";
 *
 * // Results go into marrowby/deck-log.filled.csv.
 * const table = csvTable({ file: "marrowby/deck-log.csv", key: "reportId" });
 * (await table.columns())[0]; // => "reportId"
 * ```
 */
export function csvTable(options: CsvTableOptions): Table {
  return fileTable(options, csvFormat(options.key, options.onNotice, options.made));
}
