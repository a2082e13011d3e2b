/** What needs Node: files, the SQLite ledger, projects. */
export { viaUndici } from "./adapters/chat-completions/send-undici.js";
export { csvRows, csvTable, readSmallCsv, type CsvTableOptions, type SmallCsv } from "./adapters/csv/index.js";
export { jsonlTable, type JsonlTableOptions } from "./adapters/jsonl/index.js";
export { sqliteLedger } from "./adapters/sqlite-ledger/index.js";
export {
  openDatabase,
  sqlRows,
  sqlTable,
  type Database,
  type DatabaseOptions,
  type SqlSource,
  type SqlTableOptions,
} from "./adapters/sql/index.js";
export { runLog, type RunLog } from "./adapters/run-log/index.js";
export { telemetry } from "./adapters/telemetry/index.js";
export { packBundle, unpackBundle, type BundleFile } from "./adapters/bundle/index.js";
export { xlsxRows, xlsxTable, type SheetChoice, type XlsxTableOptions } from "./adapters/xlsx/index.js";
export { sqliteLookup } from "./adapters/sqlite-lookup/index.js";
export {
  contestantOf,
  copyTemplate,
  draftTemplate,
  drawSamples,
  findTemplates,
  listStarters,
  openProject,
  packTemplates,
  restoreVersion,
  runContest,
  sealSamples,
  suggestVersion,
  unpackTemplates,
  writeStarter,
  writeTrialReport,
  type Arrival,
  type ContestOptions,
  type ContestResult,
  type Draft,
  type ListedTemplate,
  type LoadedTemplate,
  type OpenModel,
  type Project,
  type ProjectOptions,
  type ProjectTemplates,
  type Starter,
  type Suggestion,
} from "./project/index.js";
export {
  FAULTS,
  standinServer,
  type Fault,
  type FaultShares,
  type StandinServer,
  type StandinServerOptions,
} from "./services/standin-server/index.js";
