export { documentOverview, odsRows, odsTable, type OdsTableOptions } from "./ods-table.js";
