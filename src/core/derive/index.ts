export { derivedTable, withOwnStep, type DerivedOptions, type MadeRows } from "./derived-table.js";
export { groupRows } from "./groups.js";
export { itemRows, type ItemsOptions } from "./items.js";
export { BadRow, holds, readyFigure, type Counter, type Figure } from "./figures.js";
export { figuredRelated, type FigureRows } from "./related-figures.js";
