import { fileTable, type FileTableOptions } from "../../files/index.js";
import type { Table } from "../../core/index.js";
import { csvFormat } from "./csv-format.js";

export type CsvTableOptions = FileTableOptions;

/** A CSV file (RFC 4180) as a table. */
export function csvTable(options: CsvTableOptions): Table {
  return fileTable(options, csvFormat(options.key, options.onNotice));
}
