export { csvTable, type CsvTableOptions } from "./csv-table.js";
export type { MadeCsv } from "./csv-format.js";
export { csvRows, readSmallCsv, type SmallCsv } from "./read-rows.js";
