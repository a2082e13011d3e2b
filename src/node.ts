/**
 * What needs Node: projects and their jobs, files, databases, the SQLite ledger, the stand-in's server.
 *
 * @packageDocumentation
 */
export { viaUndici } from "./adapters/chat-completions/send-undici.js";
export { csvRows, csvTable, type CsvTableOptions } from "./adapters/csv/index.js";
export { jsonlTable, type JsonlTableOptions } from "./adapters/jsonl/index.js";
export {
  postgresLedger,
  type LedgerDatabase,
  type LedgerOwner,
  type PostgresLedgerOptions,
  type Statements,
} from "./adapters/postgres-ledger/index.js";
export { sqliteLedger } from "./adapters/sqlite-ledger/index.js";
export {
  openDatabase,
  sqlRows,
  sqlTable,
  type Database,
  type DatabaseOptions,
  type SqlSource,
  type SqlTableOptions,
  plainSql,
  type PlainDatabase,
  type PlainSql,
} from "./adapters/sql/index.js";
export { runLog, type RunLog } from "./adapters/run-log/index.js";
export { telemetry } from "./adapters/telemetry/index.js";
export { odsRows, odsTable, type OdsTableOptions } from "./adapters/ods/index.js";
export { xlsxRows, xlsxTable, type SheetChoice, type XlsxTableOptions } from "./adapters/xlsx/index.js";
export { sqliteLookup } from "./adapters/sqlite-lookup/index.js";
export {
  openProject,
  type LoadedTemplate,
  type OpenModel,
  type Project,
  type ProjectOptions,
  type ProjectTemplates,
} from "./project/index.js";
/** Every job by its name, for `runJob`; docs/api/jobs.md tells what each takes and gives. @hidden */
export * as jobs from "./jobs/all.js";
export { runJob, type Job, type JobContext, type JobInput, type JobReport } from "./jobs/index.js";
export {
  FAULTS,
  standinServer,
  type Fault,
  type FaultShares,
  type StandinServer,
  type StandinServerOptions,
} from "./services/standin-server/index.js";
