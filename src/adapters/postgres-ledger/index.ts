export { postgresCarrier } from "./carrier.js";
export type { LedgerOwner } from "./owner.js";
export { postgresLedger, type PostgresLedgerOptions } from "./postgres-ledger.js";
export type { LedgerDatabase, Statements } from "./store.js";
