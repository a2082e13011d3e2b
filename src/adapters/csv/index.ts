export { csvTable, type CsvTableOptions } from "./csv-table.js";
export { readSmallCsv, type SmallCsv } from "./read-rows.js";
