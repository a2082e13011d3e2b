/** What tables, ledgers, models, files, pages and engines of one's own must do, as cases for any test runner. */
export { ContractBroken, type ContractCase } from "./check.js";
export { ledgerContract } from "./ledger/index.js";
export { modelContract } from "./model.js";
export { filesContract, pagesContract, searchContract, type FilesTried, type PagesTried, type SearchTried } from "./sources.js";
export { CONTRACT_ROWS, tableContract } from "./table.js";
