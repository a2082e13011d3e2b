export { xlsxRows, xlsxTable, type XlsxTableOptions } from "./xlsx-table.js";
export type { SheetChoice } from "./layout.js";
export { newWorkbook, type NewColumn } from "./new-workbook.js";
export { workbookOverview, type SheetOverview } from "./overview.js";
