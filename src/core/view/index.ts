export { columnFigures, type ColumnFigures, type FigureBin } from "./column-figures.js";
export { openView, type TableView, type ViewColumn, type ViewPage, type ViewRow } from "./view.js";
export type { ViewFilter, ViewQuery, ViewSort } from "./query.js";
