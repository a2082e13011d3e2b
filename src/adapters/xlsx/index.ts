export { xlsxRows, xlsxTable, type XlsxTableOptions } from "./xlsx-table.js";
export type { SheetChoice } from "./layout.js";
