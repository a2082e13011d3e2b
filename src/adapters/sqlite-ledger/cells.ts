import type Database from "better-sqlite3";
import { CELL_COLUMNS, type CellRecord, type CellStore } from "../../core/index.js";
import { pages, SOME, type Access } from "./access.js";
import { cellRecord, putCell, type CellRow } from "./rows.js";

/** The cells with what fills replaced, and the way to put one among what is written. */
export function cellStore({ db, settle, placeOf, places, forgetPlaces }: Access) {
  const sql = statements(db);
  const rename = db.transaction((plan: string, to: string) => {
    for (const statement of sql.dropPlan) statement.run(to);
    for (const statement of sql.rename) statement.run(to, plan);
  });
  const byKey = (found: unknown[]): Map<string, CellRow> => new Map((found as CellRow[]).map((row) => [row[0], row]));
  /** What a run has made of cells that stand as it left them. */
  function* standing(run: string, id: number): Generator<{ now: CellRow; after: CellRow; before: CellRow | undefined }[]> {
    for (const rows of pages<CellRow>((last) => sql.ofRun.all(id, run, last?.[0] ?? null, last?.[0] ?? null) as CellRow[])) {
      const before = byKey(sql.replacedAmong.all(run, id, keysOf(rows)));
      yield rows.map((row) => ({ now: row, after: row, before: before.get(row[0]) }));
    }
  }
  /** What another has changed since: the cell as it stands, as this run left it, and as it stood before. */
  function* changedSince(run: string, id: number): Generator<{ now: CellRow; after: CellRow; before: CellRow | undefined }[]> {
    for (const rows of pages<CellRow>((last) => sql.replacedOfRun.all(run, id, last?.[0] ?? null, last?.[0] ?? null) as CellRow[])) {
      const keys = keysOf(rows);
      const now = byKey(sql.find.all(id, keys));
      const before = byKey(sql.replacedAmong.all(run, id, keys));
      yield rows.map((row) => ({ now: now.get(row[0]) ?? row, after: row, before: before.get(row[0]) }));
    }
  }
  const cells: CellStore = {
    async find(plan, step, keys) {
      const rows = sql.find.all(placeOf(plan, step), JSON.stringify(keys)) as CellRow[];
      return new Map(rows.map((row) => [row[0], cellRecord(plan, step, row)]));
    },
    async *all() {
      settle();
      for (const { id, plan, step } of places())
        // Begun with null, not with the empty text, which is a key like any other.
        for (const rows of pages<CellRow>((last) => sql.some.all(id, last?.[0] ?? null, last?.[0] ?? null) as CellRow[]))
          yield rows.map((row) => cellRecord(plan, step, row));
    },
    async held(plan, step, { after, like, limit }) {
      settle();
      const about = [placeOf(plan, step), ...(like === undefined ? [] : [like]), ...(after === undefined ? [] : [after]), limit];
      const statement =
        like === undefined ? (after === undefined ? sql.held : sql.heldAfter) : after === undefined ? sql.heldAlike : sql.heldAlikeAfter;
      return (statement.all(...about) as CellRow[]).map((row) => cellRecord(plan, step, row));
    },
    async countHeld(plan, step, like) {
      settle();
      const place = placeOf(plan, step);
      return ((like === undefined ? sql.countHeld.get(place) : sql.countAlike.get(place, like)) as { rows: number }).rows;
    },
    async changedSince(plan, step, at) {
      settle();
      return (sql.changedSince.all(placeOf(plan, step), at) as [string][]).map(([key]) => key);
    },
    async rename(plan, to) {
      settle();
      rename.immediate(plan, to);
      forgetPlaces();
    },
    async *changedBy(run, plan) {
      settle();
      for (const { id, step } of places().filter((one) => one.plan === plan)) {
        const record = (row: CellRow): CellRecord => cellRecord(plan, step, row);
        for (const changes of [standing(run, id), changedSince(run, id)])
          for (const some of changes)
            yield some.map(({ now, after, before }) => ({ now: record(now), after: record(after), before: before && record(before) }));
      }
    },
  };
  return {
    cells,
    put(record: CellRecord): void {
      const place = placeOf(record.plan, record.step);
      sql.keepReplaced.run({ run: record.run, place, key: record.key });
      putCell(sql.put, place, record);
    },
    /** Lets go of what neither one of a plan's last ten fills has replaced, nor one of them has made. */
    forgetReplaced(plan: string): void {
      const kept = sql.keptRuns.all(plan) as string[];
      for (const name of sql.replacingRuns.all() as string[])
        if (!kept.includes(name) && !kept.some((run) => name.endsWith(`:${run}`)))
          sql.forgetReplaced.run({ name, plan, kept: JSON.stringify(kept) });
    },
  };
}

const keysOf = (rows: readonly CellRow[]): string => JSON.stringify(rows.map(([key]) => key));

function statements(db: Database.Database) {
  const held = (which: string, isAfter: boolean): Database.Statement =>
    db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND ${which}${isAfter ? " AND key > ?" : ""} ORDER BY key LIMIT ?`).raw();
  const page = `(? IS NULL OR key > ?) ORDER BY key LIMIT ${SOME}`;
  return {
    find: db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND key IN (SELECT value FROM json_each(?))`).raw(),
    some: db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND ${page}`).raw(),
    put: db.prepare(
      `INSERT OR REPLACE INTO cells (place, ${CELL_COLUMNS}, alike) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    ),
    // What is recorded outside of runs has no name of its own: it is kept by the run whose cell it replaces, too.
    keepReplaced: db.prepare(
      `INSERT OR IGNORE INTO replaced (by_run, place, ${CELL_COLUMNS})
      SELECT CASE WHEN @run IN ('status', 'derived', 'review') THEN @run || ':' || run ELSE @run END, place, ${CELL_COLUMNS}
      FROM cells WHERE place = @place AND key = @key AND run <> @run`,
    ),
    // The last ten fills of a plan that changed something.
    keptRuns: db
      .prepare("SELECT id FROM runs WHERE kind = 'fill' AND subject = ? AND coalesce(cells, 1) > 0 ORDER BY started DESC LIMIT 10")
      .pluck(),
    // Each name once, from one to the next along the index: however many rows have it.
    replacingRuns: db
      .prepare(
        `WITH RECURSIVE names (name) AS (SELECT min(by_run) FROM replaced
          UNION ALL SELECT (SELECT min(by_run) FROM replaced WHERE by_run > name) FROM names WHERE name IS NOT NULL)
        SELECT name FROM names WHERE name IS NOT NULL`,
      )
      .pluck(),
    forgetReplaced: db.prepare(`DELETE FROM replaced WHERE by_run = @name AND place IN (SELECT id FROM places WHERE plan = @plan)
      AND run NOT IN (SELECT value FROM json_each(@kept))`),
    ofRun: db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND run = ? AND ${page}`).raw(),
    replacedAmong: db
      .prepare(`SELECT ${CELL_COLUMNS} FROM replaced WHERE by_run = ? AND place = ? AND key IN (SELECT value FROM json_each(?))`)
      .raw(),
    replacedOfRun: db
      .prepare(`SELECT ${CELL_COLUMNS} FROM replaced WHERE run = ? AND place = ? AND ${page.replace("ORDER BY", "GROUP BY key ORDER BY")}`)
      .raw(),
    // One statement for where a page begins, so that none scans what stands before it.
    held: held("alike > ''", false),
    heldAfter: held("alike > ''", true),
    heldAlike: held("alike = ?", false),
    heldAlikeAfter: held("alike = ?", true),
    changedSince: db.prepare("SELECT key FROM cells WHERE place = ? AND at >= ?").raw(),
    countHeld: db.prepare("SELECT count(*) AS rows FROM cells WHERE place = ? AND alike > ''"),
    countAlike: db.prepare("SELECT count(*) AS rows FROM cells WHERE place = ? AND alike = ?"),
    dropPlan: ["cells", "replaced", "decisions"]
      .map((table) => `DELETE FROM ${table} WHERE place IN (SELECT id FROM places WHERE plan = ?)`)
      .concat(["places", "afterwards", "notices"].map((table) => `DELETE FROM ${table} WHERE plan = ?`))
      .map((text) => db.prepare(text)),
    rename: ["places", "afterwards", "notices"].map((table) => db.prepare(`UPDATE ${table} SET plan = ? WHERE plan = ?`)),
  };
}
