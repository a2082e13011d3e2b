export { crossFigures, type CrossFigures, type CrossGroup } from "./cross.js";
export { columnFigures, countedFigures, type ColumnFigures, type FigureBin } from "./column-figures.js";
export {
  beginView,
  openView,
  type OpeningView,
  type TableView,
  type ViewColumn,
  type ViewPage,
  type ViewRow,
  type ViewStanding,
} from "./view.js";
export { isNumber } from "./query.js";
export type { ViewFilter, ViewQuery, ViewSort } from "./query.js";
