export { sqliteCarrier } from "./carrier.js";
export { sqliteLedger } from "./sqlite-ledger.js";
