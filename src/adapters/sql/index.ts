export { openDatabase, type Database, type DatabaseOptions } from "./database.js";
export { sqlRows, sqlTable, type SqlSource, type SqlTableOptions } from "./sql-table.js";
