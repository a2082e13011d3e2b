import { canonicalJson, type FactStore, type Json, type LeaseStore } from "../../core/index.js";
import type { Access } from "./access.js";
import { letGo } from "./put-entries.js";
import { buryDead, SILENT } from "./session.js";
import { lockFor, type Statements } from "./store.js";
import { storedText } from "./texts.js";

export const factStore = ({ s, read, write, settle, opened }: Access): FactStore => ({
  async get(name) {
    const [row] = await read(`SELECT value FROM ${s}.facts WHERE name = $1`, [storedText(name)]);
    return row && (JSON.parse(row["value"]!) as Json);
  },
  set: (name, value) => write((sql) => setFact(sql, s, name, value)),
  remove: (names) => write((sql) => sql.run(`DELETE FROM ${s}.facts WHERE name = ANY($1::text[])`, [names.map(storedText)])),
  async find(beginning) {
    await settle();
    const rows = await read(`SELECT name, value FROM ${s}.facts WHERE name >= $1 AND name < $2 AND value <> 'null' ORDER BY name`, [
      beginning,
      `${beginning}\u{10ffff}`,
    ]);
    return new Map(rows.map((row) => [row["name"]!, JSON.parse(row["value"]!) as Json]));
  },
  async swap(name, expected, value) {
    await settle();
    const { store } = await opened();
    return store.transaction(async (sql) => {
      await lockFor(sql, s, `fact ${name}`);
      const [now] = await sql.all(`SELECT value FROM ${s}.facts WHERE name = $1`, [storedText(name)]);
      const isSame =
        now === undefined || expected === undefined
          ? (now === undefined) === (expected === undefined)
          : canonicalJson(JSON.parse(now["value"]!) as Json) === canonicalJson(expected);
      if (isSame) await setFact(sql, s, name, value);
      return isSame;
    });
  },
});

export const leaseStore = ({ s, read, write, settle, opened, current, alive }: Access): LeaseStore => ({
  async take(names, { holder, until, now }) {
    if (names.length === 0) return [];
    // What was let go of a moment ago may be on its way.
    await settle();
    const { store, session } = await opened();
    const takeThem = (): Promise<boolean[]> =>
      store.transaction(async (sql) => {
        // In one order, so that two who want the same names wait for each other and never in a circle.
        const wanted = [...new Set(names)].sort();
        const rows = await sql.all(
          `INSERT INTO ${s}.leases AS l (name, holder, session, until) SELECT n, $2, $3, $4 FROM unnest($1::text[]) AS n
      ON CONFLICT (name) DO UPDATE SET holder = excluded.holder, session = excluded.session, until = excluded.until
      WHERE l.holder = excluded.holder OR l.until <= $5
        OR NOT EXISTS (SELECT FROM ${s}.sessions WHERE id = l.session AND seen > clock_timestamp() - ${SILENT})
      RETURNING name`,
          [wanted, holder, session.id, session.there(until), session.there(now)],
        );
        const mine = new Set(rows.map((row) => row["name"]));
        return names.map((name) => mine.has(name));
      });
    const taken = await takeThem();
    if (!taken.includes(false)) return taken;
    await buryDead(store);
    return takeThem();
  },
  mayHaveLost: (takenAt) => current()?.mayHaveLost(takenAt) ?? false,
  async isTaken(name, now) {
    await settle();
    const { session } = await opened();
    return (await read(`SELECT FROM ${s}.leases WHERE name = $1 AND until > $2 AND ${alive}`, [name, session.there(now)])).length > 0;
  },
  release: (holder, names) =>
    write((sql) =>
      letGo(
        sql,
        s,
        names.map((name) => ({ holder, name })),
      ),
    ),
});

const setFact = (sql: Statements, s: string, name: string, value: Json): Promise<number> =>
  sql.run(`INSERT INTO ${s}.facts (name, value) VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, [
    storedText(name),
    JSON.stringify(value),
  ]);
