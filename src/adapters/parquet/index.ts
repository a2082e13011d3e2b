export { parquetRows, parquetTable } from "./parquet-rows.js";
