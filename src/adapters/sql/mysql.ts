import { sql, type RawBuilder } from "kysely";
import type { CellType } from "../../core/index.js";
import {
  canBe,
  faultOf,
  NOT_ALLOWED,
  READ_ONLY,
  wordsOf,
  VALUE_FORBIDDEN,
  VALUE_OUT_OF_RANGE,
  VALUE_TOO_LONG,
  VALUE_UNFIT,
  type ColumnClass,
  type Dialect,
  type RowChange,
  type SqlColumn,
  type SqlFault,
} from "./dialect.js";
import { selectKeys } from "./keys.js";

const CLASSES: Readonly<Record<string, ColumnClass>> = {
  tinyint: "integer",
  smallint: "integer",
  mediumint: "integer",
  int: "integer",
  bigint: "integer",
  year: "integer",
  decimal: "decimal",
  float: "single",
  double: "float",
  date: "date",
  datetime: "dateTime",
  timestamp: "dateTime",
  char: "padded",
  varchar: "text",
  binary: "binary",
  varbinary: "binary",
  tinyblob: "binary",
  blob: "binary",
  mediumblob: "binary",
  longblob: "binary",
  tinytext: "text",
  text: "text",
  mediumtext: "text",
  longtext: "text",
  enum: "text",
  set: "text",
  json: "other",
};

const TYPES: Readonly<Record<CellType, string>> = {
  text: "TEXT CHARACTER SET utf8mb4",
  integer: "BIGINT",
  decimal: "DECIMAL(38,10)",
  number: "DOUBLE",
  yesNo: "BOOLEAN",
  date: "DATE",
  dateTime: "DATETIME",
};

const FAULTS: Readonly<Record<string, readonly [SqlFault["kind"], string]>> = {
  PROTOCOL_CONNECTION_LOST: ["away", "the connection broke off"],
  ER_SERVER_SHUTDOWN: ["away", "it is being shut down"],
  ER_CON_COUNT_ERROR: ["away", "it has too many connections"],
  ER_LOCK_DEADLOCK: ["away", "another transaction was in the way"],
  ER_LOCK_WAIT_TIMEOUT: ["away", "rows are locked"],
  ER_CONNECTION_KILLED: ["away", "the connection broke off"],
  ER_QUERY_INTERRUPTED: ["away", "the connection broke off"],
  ER_DATA_TOO_LONG: ["value", VALUE_TOO_LONG],
  ER_WARN_DATA_OUT_OF_RANGE: ["value", VALUE_OUT_OF_RANGE],
  ER_TRUNCATED_WRONG_VALUE_FOR_FIELD: ["value", VALUE_UNFIT],
  ER_TRUNCATED_WRONG_VALUE: ["value", VALUE_UNFIT],
  WARN_DATA_TRUNCATED: ["value", VALUE_UNFIT],
  ER_BAD_NULL_ERROR: ["value", VALUE_FORBIDDEN],
  ER_DUP_ENTRY: ["value", VALUE_FORBIDDEN],
  ER_CONSTRAINT_FAILED: ["value", VALUE_FORBIDDEN],
  ER_CHECK_CONSTRAINT_VIOLATED: ["value", VALUE_FORBIDDEN],
  ER_NO_REFERENCED_ROW_2: ["value", VALUE_FORBIDDEN],
  ER_TABLEACCESS_DENIED_ERROR: ["rights", NOT_ALLOWED],
  ER_COLUMNACCESS_DENIED_ERROR: ["rights", NOT_ALLOWED],
  ER_SPECIFIC_ACCESS_DENIED_ERROR: ["rights", NOT_ALLOWED],
  ER_DBACCESS_DENIED_ERROR: ["rights", NOT_ALLOWED],
  ER_OPTION_PREVENTS_STATEMENT: ["other", READ_ONLY],
  ER_CANT_EXECUTE_IN_READ_ONLY_TRANSACTION: ["other", READ_ONLY],
  ER_ACCESS_DENIED_ERROR: ["other", "user or password are wrong"],
  ER_BAD_DB_ERROR: ["other", "there is no database of that name"],
  ER_PARSE_ERROR: ["other", "the query has a mistake in its syntax"],
  ER_NO_SUCH_TABLE: ["other", "the query names a table that does not exist"],
  ER_BAD_FIELD_ERROR: ["other", "the query names a column that does not exist"],
};

/** The driver has MySQL's name for this number. */
const MARIADB_CHECK_FAILED = 4025;

/** MySQL and MariaDB. */
export const mysql: Dialect = {
  name: "MySQL",
  async columns(db, { schema, name }) {
    const { rows } = await sql<{ name: string; type: string; full: string; extra: string; scale: string | null }>`
      SELECT column_name AS name, data_type AS type, column_type AS full, extra AS extra, numeric_scale AS scale
      FROM information_schema.columns WHERE table_name = ${name} AND table_schema = ${schema === undefined ? sql`DATABASE()` : schema} ORDER BY ordinal_position`.execute(
      db,
    );
    return rows.map(({ name: column, type, full, extra, scale }) => {
      const own = full === "tinyint(1)" ? "boolean" : (CLASSES[type] ?? "other");
      return {
        name: column,
        type: full,
        class: own,
        scale: own === "decimal" && scale !== null ? Number(scale) : undefined,
        isComputed: /GENERATED/i.test(extra) && !/DEFAULT_GENERATED/i.test(extra),
      };
    });
  },
  async uniqueKeys(db, { schema, name }) {
    const { rows } = await sql<{ name: string; column: string }>`
      SELECT index_name AS name, column_name AS \`column\` FROM information_schema.statistics
      WHERE table_name = ${name} AND table_schema = ${schema === undefined ? sql`DATABASE()` : schema} AND non_unique = 0 AND column_name IS NOT NULL ORDER BY index_name, seq_in_index`.execute(
      db,
    );
    const keys = new Map<string, string[]>();
    for (const row of rows) keys.set(row.name, [...(keys.get(row.name) ?? []), row.column]);
    return [...keys.values()];
  },
  asText: (column) => sql`CAST(${column} AS CHAR CHARACTER SET utf8mb4)`,
  async whyFixed(db, { schema, name }) {
    const { rows } = await sql<{
      updatable: string;
    }>`SELECT is_updatable AS updatable FROM information_schema.views WHERE table_name = ${name} AND table_schema = ${schema === undefined ? sql`DATABASE()` : schema}`.execute(
      db,
    );
    return rows[0] && rows[0].updatable !== "YES" ? "it is a view whose rows cannot be changed" : undefined;
  },
  // Bytes are no text.
  keyText: (column, kind) => (kind === "binary" ? sql`HEX(${column})` : mysql.asText(column)),
  // A number against a text would be compared as a float.
  keyParameter: (value, kind) =>
    kind === "binary"
      ? sql`UNHEX(${value})`
      : sql`${typeof value === "string" && /^-?\d{1,20}$/.test(value) && String(BigInt(value)) === value && kind !== "text" && kind !== "padded" ? BigInt(value) : value}`,
  keyIs: (column, of, text) => (canBe(of, text) ? sql`${column} = ${mysql.keyParameter(text, of.class)}` : sql`1 = 0`),
  isAtLeast: (column, of, text) => sql`${column} >= ${mysql.keyParameter(text, of.class)}`,
  typeFor: (type) => TYPES[type],
  keyType: "VARCHAR(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
  textOf: (value, column) => {
    if (value === null || value === undefined) return "";
    if (column?.class === "padded") return String(value).trimEnd();
    if (column?.class === "boolean") return value === "0" ? "false" : value === "1" ? "true" : String(value);
    return column?.class === "dateTime" ? String(value).replace(" ", "T").replace(/\.0+$/, "") : String(value);
  },
  async update(db, { table, key, columns, rows }) {
    const isRow = (row: RowChange): RawBuilder<unknown> => isThisRow(key, row);
    const set = columns.map(
      (column, at) =>
        sql`${sql.id(column.name)} = CASE ${sql.join(
          rows.map((row) => sql`WHEN ${isRow(row)} THEN ${valueFor(column.class, row.becomes[at]!)}`),
          sql` `,
        )} ELSE ${sql.id(column.name)} END`,
    );
    // All columns are guarded by what they held before: MySQL sets them one after the other.
    const holds = rows.map(
      (row) =>
        sql`(${isRow(row)} AND ${sql.join(
          columns.map((column, at) => sql`BINARY ${mysql.asText(sql.id(column.name))} <=> ${row.was[at]}`),
          sql` AND `,
        )})`,
    );
    // It cannot give the rows that it updates: those that it will are locked before.
    const { rows: updated } = await sql<
      Record<string, unknown>
    >`SELECT ${sql.join(selectKeys(mysql, key))} FROM ${table} WHERE ${sql.join(holds, sql` OR `)} LOCK IN SHARE MODE`.execute(db);
    await sql`UPDATE ${table} SET ${sql.join(set)} WHERE ${sql.join(holds, sql` OR `)}`.execute(db);
    return updated;
  },
  async readBack(db, { table, key, columns, rows }) {
    const { rows: found } = await sql<
      Record<string, unknown>
    >`SELECT ${sql.join([...selectKeys(mysql, key, "t"), ...columns.map((column) => sql`t.${sql.id(column.name)} AS ${sql.id(column.name)}`)])} FROM ${table} AS t WHERE ${sql.join(
      rows.map((row) => isThisRow(key, row)),
      sql` OR `,
    )}`.execute(db);
    return found;
  },
  fault(error) {
    const { code = "", errno, message = "" } = error as { code?: string; errno?: number; message?: string };
    if (code === "ER_SIGNAL_EXCEPTION") return { kind: "value", problem: wordsOf(message.replace(/^.*?(?=\S)/, "")) };
    if (errno === MARIADB_CHECK_FAILED) return { kind: "value", problem: VALUE_FORBIDDEN };
    if (/closed state|Pool is closed|Connection lost|connection is in closed/i.test(message))
      return { kind: "away", problem: "the connection broke off" };
    return faultOf(code, FAULTS, "it refused the statement");
  },
};

const isThisRow = (key: readonly SqlColumn[], row: RowChange): RawBuilder<unknown> =>
  sql`(${sql.join(
    key.map((column, index) => sql`${sql.id(column.name)} = ${keyValue(column.class, row.key[index])}`),
    sql` AND `,
  )})`;

const keyValue = (kind: ColumnClass, value: unknown): RawBuilder<unknown> =>
  kind === "integer" || kind === "boolean" ? sql`${BigInt(String(value))}` : mysql.keyParameter(value, kind);

function valueFor(kind: ColumnClass, text: string | null): unknown {
  if (text === null) return null;
  return kind === "boolean" ? (text === "true" ? 1 : text === "false" ? 0 : text) : text;
}
