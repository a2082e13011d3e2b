export { sqliteLedger } from "./sqlite-ledger.js";
