export { derivedTable, withOwnStep, type DerivedOptions, type MadeRows } from "./derived-table.js";
export { groupRows } from "./groups.js";
export { itemRows, type ItemsOptions } from "./items.js";
