import { existsSync } from "node:fs";
import {
  CARRIED,
  carriedColumns,
  OWN_FACTS,
  UNFINISHED,
  type CarriedRow,
  type CarriedTable,
  type LedgerCarrier,
} from "../../core/index.js";
import { isRunning } from "../../files/index.js";
import { openLedgerFile } from "./open-file.js";

const SOME = 500;
/** What tables are called here, and how their rows follow one another. */
const NAMES: Partial<Readonly<Record<CarriedTable, string>>> = { facts: "notes" };
const ORDER: Readonly<Record<CarriedTable, string>> = {
  places: "id",
  answers: "id",
  cells: "place, key",
  replaced: "by_run, place, key",
  decisions: "id",
  checks: "rowid",
  afterwards: "id",
  notices: "n",
  versions: "template, version",
  runs: "rowid",
  charges: "run, step, model, day",
  facts: "rowid",
};

/** The ledger in a file, as it is carried to a database or back. A file that is not there is made when something is put. */
export function sqliteCarrier(file: string, name: string): LedgerCarrier {
  let opened: ReturnType<typeof openLedgerFile> | undefined;
  const db = (): ReturnType<typeof openLedgerFile> => (opened ??= openLedgerFile(file));
  const tableOf = (table: CarriedTable): string => NAMES[table] ?? table;
  return {
    name,
    async held() {
      if (!existsSync(file)) return [];
      const rows = db().prepare("SELECT name, process, until FROM leases").all() as { name: string; process: number; until: number }[];
      return rows.filter(({ process, until }) => until > Date.now() && isRunning(process)).map((row) => row.name);
    },
    async state() {
      if (!existsSync(file)) return "empty";
      if (db().prepare("SELECT 1 FROM notes WHERE name = ?").get(UNFINISHED)) return "unfinished";
      const tables = Object.keys(CARRIED) as CarriedTable[];
      return tables.some(
        (table) =>
          db()
            .prepare(`SELECT 1 FROM ${tableOf(table)} LIMIT 1`)
            .get() !== undefined,
      )
        ? "kept"
        : "empty";
    },
    async begin() {
      const tables = (Object.keys(CARRIED) as CarriedTable[]).toReversed();
      db().transaction(() => {
        for (const table of tables) db().exec(`DELETE FROM ${tableOf(table)}`);
        db().prepare("INSERT INTO notes (name, value) VALUES (?, 'true')").run(UNFINISHED);
      })();
    },
    async *rows(table) {
      const names = carriedColumns(table).map(([column, type]) =>
        type === "bytes" ? `lower(hex(${column}))` : table === "runs" && column === "cells" ? "coalesce(cells, 0)" : column,
      );
      const bytesAt = carriedColumns(table).findIndex(([, type]) => type === "bytes");
      const nullable =
        bytesAt < 0 ? names : names.map((one, at) => (at === bytesAt ? `CASE WHEN fingerprint IS NULL THEN NULL ELSE ${one} END` : one));
      const only = table === "facts" ? `WHERE name NOT IN (${OWN_FACTS.map((one) => `'${one}'`).join(", ")})` : "";
      let some: CarriedRow[] = [];
      const statement = db()
        .prepare(`SELECT ${nullable.join(", ")} FROM ${tableOf(table)} ${only} ORDER BY ${ORDER[table]}`)
        .raw();
      for (const row of statement.iterate()) {
        some.push(row as CarriedRow);
        if (some.length < SOME) continue;
        yield some;
        some = [];
      }
      if (some.length > 0) yield some;
    },
    async put(table, rows) {
      const columns = carriedColumns(table);
      const values = columns.map(([, type]) => (type === "bytes" ? "unhex(?)" : "?"));
      const statement = db().prepare(
        `INSERT INTO ${tableOf(table)} (${columns.map(([column]) => column).join(", ")}) VALUES (${values.join(", ")})`,
      );
      db().transaction(() => {
        for (const row of rows) statement.run(...row);
      })();
    },
    async finish() {
      db().prepare("DELETE FROM notes WHERE name = ?").run(UNFINISHED);
      db().pragma("wal_checkpoint(TRUNCATE)");
    },
    async close() {
      opened?.close();
      opened = undefined;
    },
  };
}
