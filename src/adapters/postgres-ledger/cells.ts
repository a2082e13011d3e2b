import type { CellRecord, CellStore } from "../../core/index.js";
import { paged, SOME, type Access } from "./access.js";
import { CELL, cellOf, numberOf } from "./records.js";
import type { TextRow } from "./store.js";
import { keyOf, storedKey } from "./texts.js";

const cellsByKey = async (read: Access["read"], text: string, values: readonly unknown[]): Promise<Map<string, TextRow>> =>
  new Map((await read(text, values)).map((row) => [row["key"]!, row]));

export const cellStore = ({ s, read, write, settle, placeOf, forgetPlaces }: Access): CellStore => ({
  async find(plan, step, keys) {
    const place = await placeOf(plan, step);
    if (place === undefined || keys.length === 0) return new Map();
    const rows = await read(`SELECT ${CELL} FROM ${s}.cells WHERE place = $1 AND key = ANY($2::text[])`, [place, keys.map(storedKey)]);
    return new Map(rows.map((row) => [keyOf(row["key"]!), cellOf(plan, step, row)]));
  },
  async *all() {
    await settle();
    for (const { id, plan, step } of await read(`SELECT id, plan, step FROM ${s}.places ORDER BY id`))
      yield* paged(
        { settle },
        (last) =>
          read(`SELECT ${CELL} FROM ${s}.cells WHERE place = $1 AND ($2::text IS NULL OR key > $2) ORDER BY key LIMIT ${SOME}`, [
            id,
            last?.["key"] ?? null,
          ]),
        (row) => cellOf(plan!, step!, row),
      );
  },
  async held(plan, step, { after, like, limit }) {
    await settle();
    const place = await placeOf(plan, step);
    if (place === undefined) return [];
    const rows = await read(
      `SELECT ${CELL} FROM ${s}.cells WHERE place = $1 AND ${like === undefined ? "alike > '' AND $2::text IS NULL" : "alike = $2"}
    AND ($3::text IS NULL OR key > $3) ORDER BY key LIMIT $4`,
      [place, like ?? null, after === undefined ? null : storedKey(after), limit],
    );
    return rows.map((row) => cellOf(plan, step, row));
  },
  async countHeld(plan, step, like) {
    await settle();
    const place = await placeOf(plan, step);
    if (place === undefined) return 0;
    return numberOf(
      await read(
        `SELECT count(*) AS n FROM ${s}.cells WHERE place = $1 AND ${like === undefined ? "alike > '' AND $2::text IS NULL" : "alike = $2"}`,
        [place, like ?? null],
      ),
    );
  },
  async changedSince(plan, step, at) {
    await settle();
    const place = await placeOf(plan, step);
    if (place === undefined) return [];
    return (await read(`SELECT key FROM ${s}.cells WHERE place = $1 AND at >= $2`, [place, at])).map((row) => keyOf(row["key"]!));
  },
  async rename(plan, to) {
    await write(async (sql) => {
      const mine = `place IN (SELECT id FROM ${s}.places WHERE plan = $1)`;
      for (const table of ["cells", "replaced", "decisions"]) await sql.run(`DELETE FROM ${s}.${table} WHERE ${mine}`, [to]);
      for (const table of ["places", "afterwards", "notices"]) {
        await sql.run(`DELETE FROM ${s}.${table} WHERE plan = $1`, [to]);
        await sql.run(`UPDATE ${s}.${table} SET plan = $1 WHERE plan = $2`, [to, plan]);
      }
    });
    forgetPlaces();
  },
  async *changedBy(run, plan) {
    await settle();
    const steps = await read(`SELECT id, step FROM ${s}.places WHERE plan = $1 ORDER BY id`, [plan]);
    for (const { id, step } of steps) {
      const of = (row: TextRow): CellRecord => cellOf(plan, step!, row);
      const among = (table: string, keys: readonly string[]): Promise<Map<string, TextRow>> =>
        cellsByKey(
          read,
          `SELECT ${CELL} FROM ${s}.${table} WHERE place = $1 AND key = ANY($2::text[])${table === "replaced" ? " AND by_run = $3" : " AND $3::text IS NOT NULL"}`,
          [id, keys, run],
        );
      const page = (table: string, last: TextRow | undefined): Promise<readonly TextRow[]> =>
        read(
          `SELECT ${table === "replaced" ? "DISTINCT ON (key) " : ""}${CELL} FROM ${s}.${table} WHERE run = $1 AND place = $2 AND ($3::text IS NULL OR key > $3) ORDER BY key LIMIT ${SOME}`,
          [run, id, last?.["key"] ?? null],
        );
      for (let last: TextRow | undefined; ;) {
        const rows = await page("cells", last);
        if (rows.length === 0) break;
        const before = await among(
          "replaced",
          rows.map((row) => row["key"]!),
        );
        yield rows.map((row) => {
          const old = before.get(row["key"]!);
          return { now: of(row), after: of(row), before: old && of(old) };
        });
        last = rows.at(-1)!;
      }
      // What another has changed since: the cell as it stands, as this run left it, and as it stood before.
      for (let last: TextRow | undefined; ;) {
        const rows = await page("replaced", last);
        if (rows.length === 0) break;
        const keys = rows.map((row) => row["key"]!);
        const [now, before] = [await among("cells", keys), await among("replaced", keys)];
        yield rows.map((row) => {
          const old = before.get(row["key"]!);
          return { now: of(now.get(row["key"]!) ?? row), after: of(row), before: old && of(old) };
        });
        last = rows.at(-1)!;
      }
    }
  },
});
