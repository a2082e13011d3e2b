/** What tables, ledgers and models of one's own must do, as cases for any test runner. */
export { ContractBroken, type ContractCase } from "./check.js";
export { ledgerContract } from "./ledger.js";
export { modelContract } from "./model.js";
export { CONTRACT_ROWS, tableContract } from "./table.js";
