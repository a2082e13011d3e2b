export { openDatabase, type Database, type DatabaseOptions } from "./database.js";
export { sqlRows, sqlTable, type SqlSource, type SqlTableOptions } from "./sql-table.js";
export {
  channelOf,
  grownRows,
  keyTold,
  tellingStatements,
  tellsOfChanges,
  writtenMark,
  type ChangingTable,
  type Reached,
} from "./changes.js";
export { plainSql, type PlainDatabase, type PlainSql } from "./plain-sql.js";
