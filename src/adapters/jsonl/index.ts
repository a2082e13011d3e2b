export { jsonlRows, jsonlTable, type JsonlTableOptions } from "./jsonl-table.js";
