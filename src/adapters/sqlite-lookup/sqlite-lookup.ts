import type Database from "better-sqlite3";
import {
  renamed,
  sortNumber,
  YoroshiError,
  type FoundRows,
  type Related,
  type RelatedRow,
  type RelatedWay,
  type RowSource,
} from "../../core/index.js";
import { openSqlite } from "../../files/index.js";

/**
 * Related rows of any table that can be streamed: it is read once into a temporary database on the disk, which is
 * gone when it is closed, and then asked about many rows at once. Memory does not depend on the table's size.
 *
 * @example
 * ```ts
 * import { csvRows, sqliteLookup } from "yoroshi/node";
 *
 * const messages = csvRows("marrowby/messages.csv", "messages.csv");
 * const thread = sqliteLookup(messages, { match: { reportId: "reportId" }, order: "sentAt", limit: 50, keep: "newest" });
 * const [found] = await thread.of([{ key: "R-012", place: "row 12", values: { reportId: "R-012" } }]);
 * console.log(found!.rows.length);
 * await thread.close();
 * ```
 */
export function sqliteLookup(source: RowSource, way: RelatedWay): Related {
  let ready: Promise<Database.Database> | undefined;
  const order = way.keep === "oldest" ? "ASC" : "DESC";
  return {
    columns: () => source.columns(),
    of: async (rows) => {
      const db = await (ready ??= load(source, way));
      const here = Object.values(way.match);
      const ids = rows.map((row) => idOf(row.values, here));
      const found = db
        .prepare(
          `SELECT id, row, total FROM (SELECT id, row, n, count(*) OVER (PARTITION BY id) AS total, row_number() OVER (PARTITION BY id ORDER BY place ${order}, n ${order}) AS rank FROM related WHERE id IN (SELECT value FROM json_each(?))) WHERE rank <= ? ORDER BY rank ${way.keep === "oldest" ? "ASC" : "DESC"}`,
        )
        .all(JSON.stringify(ids), way.limit) as { id: string; row: string; total: number }[];
      const byId = new Map<string, { rows: RelatedRow[]; total: number }>();
      for (const { id, row, total } of found) {
        const list = byId.get(id);
        if (list) list.rows.push(JSON.parse(row) as RelatedRow);
        else byId.set(id, { rows: [JSON.parse(row) as RelatedRow], total });
      }
      return ids.map((id): FoundRows => {
        const { rows: own, total } = byId.get(id) ?? { rows: [], total: 0 };
        return { rows: own, left: total - own.length };
      });
    },
    mark: () => source.mark(),
    async close() {
      const open = ready;
      // Asked again, it is read again.
      ready = undefined;
      (await open)?.close();
    },
  };
}

async function load(source: RowSource, way: RelatedWay): Promise<Database.Database> {
  const there = Object.keys(way.match);
  const known = await source.columns();
  for (const column of [...there, ...Object.values(way.columns ?? {}), ...(way.order === undefined ? [] : [way.order])]) {
    if (!known.includes(column))
      throw new YoroshiError("tableBroken", {
        table: source.name,
        place: "row 1",
        problem: `there is no column \`${column}\`, which the plan's related rows need. Columns: ${known.join(", ")}.`,
      });
  }
  const db = openSqlite("");
  // `place` has no type of its own: numbers are ordered before text, as the in-memory table does.
  db.exec("CREATE TABLE related (n INTEGER PRIMARY KEY, id TEXT NOT NULL, place, row TEXT NOT NULL)");
  const insert = db.prepare("INSERT INTO related (id, place, row) VALUES (?, ?, ?)");
  const put = db.transaction((rows: readonly RelatedRow[]) => {
    for (const row of rows) {
      const place = way.order === undefined ? null : (sortNumber(row[way.order] ?? "") ?? row[way.order] ?? "");
      insert.run(idOf(row, there), place, JSON.stringify(renamed(row, way.columns)));
    }
  });
  for await (const rows of source.rows()) put(rows);
  db.exec("CREATE INDEX related_id ON related (id)");
  return db;
}

function idOf(values: Readonly<Record<string, string>>, columns: readonly string[]): string {
  return JSON.stringify(columns.map((column) => (values[column] ?? "").trim()));
}
