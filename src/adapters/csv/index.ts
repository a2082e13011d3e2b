export { csvTable, type CsvTableOptions } from "./csv-table.js";
export { csvRows, readSmallCsv, type SmallCsv } from "./read-rows.js";
