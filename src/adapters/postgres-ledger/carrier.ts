import {
  CARRIED,
  carriedColumns,
  OWN_FACTS,
  UNFINISHED,
  type CarriedRow,
  type CarriedTable,
  type LedgerCarrier,
} from "../../core/index.js";
import { SILENT } from "./session.js";
import { openStore, type LedgerDatabase, type Store, type TextRow } from "./store.js";
import { keyOf, storedKey, storedText } from "./texts.js";

const SOME = 500;
/** How rows follow one another; one after the other along this, a page at a time. */
const ORDER: Readonly<Record<CarriedTable, readonly string[]>> = {
  places: ["id"],
  answers: ["id"],
  cells: ["place", "key"],
  replaced: ["by_run", "place", "key"],
  decisions: ["id"],
  checks: ["n"],
  afterwards: ["id"],
  notices: ["n"],
  versions: ["template", "version"],
  runs: ["started", "id"],
  charges: ["run", "step", "model", "day"],
  facts: ["name"],
};
/** Tables that are read by views under these names. */
const BASE: Readonly<Record<string, string>> = { runs: "runs_of", charges: "charges_of" };
const TYPES: Readonly<Record<"text" | "number" | "bytes", string>> = { text: "text[]", number: "bigint[]", bytes: "bytea[]" };
/** Columns whose type is another one here. */
const IS_BOOLEAN = (table: CarriedTable, column: string): boolean => table === "notices" && column === "waits";

/** The ledger in a schema of PostgreSQL, as it is carried to a file or back. */
export function postgresCarrier(database: LedgerDatabase, schema: string): LedgerCarrier {
  const s = `"${schema}"`;
  let opening: Promise<Store> | undefined;
  const store = (): Promise<Store> => (opening ??= openStore(database, schema));
  const read = async (text: string, values: readonly unknown[] = []): Promise<readonly TextRow[]> => (await store()).read(text, values);
  return {
    name: `${schema} in the database ${database.name}`,
    async held() {
      const rows = await read(
        `SELECT name FROM ${s}.leases WHERE until > extract(epoch FROM clock_timestamp()) * 1000
        AND session IN (SELECT id FROM ${s}.sessions WHERE seen > clock_timestamp() - ${SILENT})`,
      );
      return rows.map((row) => row["name"]!);
    },
    async state() {
      if ((await read(`SELECT 1 AS one FROM ${s}.facts WHERE name = $1`, [UNFINISHED])).length > 0) return "unfinished";
      for (const table of Object.keys(CARRIED)) {
        const only = table === "facts" ? `WHERE name NOT IN (${OWN_FACTS.map((one) => `'${one}'`).join(", ")})` : "";
        if ((await read(`SELECT 1 AS one FROM ${s}.${table} ${only} LIMIT 1`)).length > 0) return "kept";
      }
      return "empty";
    },
    async begin() {
      await (
        await store()
      ).transaction(async (sql) => {
        await sql.run(
          `TRUNCATE ${s}.cells_of_runs, ${Object.keys(CARRIED)
            .map((table) => `${s}.${BASE[table] ?? table}`)
            .join(", ")} RESTART IDENTITY`,
        );
        await sql.run(`INSERT INTO ${s}.facts (name, value) VALUES ($1, 'true')`, [UNFINISHED]);
      });
    },
    async *rows(table) {
      const columns = carriedColumns(table);
      const order = ORDER[table];
      const ofPage = order.map((column) => `${column} AS o_${column}`);
      const values = columns.map(([column, type]) => (type === "bytes" ? `encode(${column}, 'hex') AS ${column}` : column));
      const collated = order.map((column) =>
        ["id", "n", "place", "version", "day", "started"].includes(column) && !(table === "runs" && column === "id")
          ? column
          : `${column} COLLATE "C"`,
      );
      for (let last: TextRow | undefined; ;) {
        const after = last && order.map((column) => last![`o_${column}`]);
        const facts = table === "facts" ? `name NOT IN (${OWN_FACTS.map((one) => `'${one}'`).join(", ")})` : "true";
        const where = after ? `(${collated.join(", ")}) > (${after.map((_, at) => `$${at + 1}`).join(", ")})` : "true";
        const rows = await read(
          `SELECT ${[...ofPage, ...values].join(", ")} FROM ${s}.${table} WHERE ${facts} AND ${where} ORDER BY ${collated.join(", ")} LIMIT ${SOME}`,
          after ?? [],
        );
        if (rows.length === 0) return;
        yield rows.map((row) =>
          columns.map(([column, type]) => {
            const value = row[column] ?? null;
            if (IS_BOOLEAN(table, column)) return value === "true" ? 1 : 0;
            if (type === "number") return value === null ? null : Number(value);
            return column === "key" && value !== null ? keyOf(value) : value;
          }),
        );
        last = rows.at(-1)!;
      }
    },
    async put(table, rows) {
      const columns = carriedColumns(table).filter(([column]) => !(table === "runs" && column === "cells"));
      const given = (name: string): CarriedRow => {
        const index = carriedColumns(table).findIndex(([column]) => column === name);
        return rows.map((row) => row[index] ?? null);
      };
      const cast = columns.map(([column, type], at) =>
        IS_BOOLEAN(table, column) ? `u${at} <> 0` : type === "number" && INTEGERS.has(column) ? `u${at}::integer` : `u${at}`,
      );
      const names = columns.map(([column]) => column);
      const more = { afterwards: [", id", `, nextval('${s}.afterwards_id')`], charges: [", writer", ", 0"] }[table as string] ?? ["", ""];
      await (
        await store()
      ).transaction(async (sql) => {
        await sql.run(
          `INSERT INTO ${s}.${BASE[table] ?? table} (${names.join(", ")}${more[0]}) ${table === "places" ? "OVERRIDING SYSTEM VALUE " : ""}
          SELECT ${cast.join(", ")}${more[1]} FROM unnest(${columns.map(([, type], at) => `$${at + 1}::${TYPES[type]}`).join(", ")})
            WITH ORDINALITY AS n (${columns.map((_, at) => `u${at}`).join(", ")}, place_in_list) ORDER BY place_in_list`,
          columns.map(([column, type]) => given(column).map((value) => valueFor(column, type, value))),
        );
        if (table === "runs")
          await sql.run(
            `INSERT INTO ${s}.cells_of_runs (run, writer, cells) SELECT n.run, 0, n.cells FROM unnest($1::text[], $2::bigint[]) AS n (run, cells) WHERE n.cells > 0`,
            [given("id"), given("cells").map((cells) => cells ?? 0)],
          );
      });
    },
    async finish() {
      const { transaction } = await store();
      await transaction(async (sql) => {
        await sql.run(
          `SELECT setval(pg_get_serial_sequence('${s}.places', 'id'), (SELECT coalesce(max(id), 0) + 1 FROM ${s}.places), false)`,
        );
        await sql.run(`DELETE FROM ${s}.facts WHERE name = $1`, [UNFINISHED]);
      });
    },
    close: () => database.close(),
  };
}

const INTEGERS = new Set(["id", "place", "version", "day", "form"]);

function valueFor(column: string, type: "text" | "number" | "bytes", value: CarriedRow[number]): unknown {
  if (value === null) return null;
  if (type === "bytes") return Buffer.from(String(value), "hex");
  if (type === "number") return value;
  return column === "key" ? storedKey(String(value)) : storedText(String(value));
}
