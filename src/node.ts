/** What needs Node: files, the SQLite ledger, projects. */
export { viaUndici } from "./adapters/chat-completions/send-undici.js";
export { csvTable, readSmallCsv, type CsvTableOptions, type SmallCsv } from "./adapters/csv/index.js";
export { sqliteLedger } from "./adapters/sqlite-ledger/index.js";
export { listStarters, openProject, writeStarter, type LoadedTemplate, type OpenModel, type Project, type ProjectOptions, type Starter } from "./project/index.js";
export { FAULTS, standinServer, type Fault, type FaultShares, type StandinServer, type StandinServerOptions } from "./services/standin-server/index.js";
