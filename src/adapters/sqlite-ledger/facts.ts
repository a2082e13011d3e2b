import { canonicalJson, type FactStore, type Json } from "../../core/index.js";
import type { Access } from "./access.js";

export function factStore({ db, write, settle }: Access): FactStore {
  const sql = {
    get: db.prepare("SELECT value FROM notes WHERE name = ?"),
    find: db.prepare("SELECT name, value FROM notes WHERE name >= ? AND name < ? AND value <> 'null' ORDER BY name"),
    set: db.prepare("INSERT OR REPLACE INTO notes (name, value) VALUES (?, ?)"),
    drop: db.prepare("DELETE FROM notes WHERE name IN (SELECT value FROM json_each(?))"),
  };
  const read = (name: string): Json | undefined => {
    const row = sql.get.get(name) as { value: string } | undefined;
    return row && (JSON.parse(row.value) as Json);
  };
  const swap = db.transaction((name: string, expected: Json | undefined, value: Json) => {
    const now = read(name);
    const isSame =
      now === undefined || expected === undefined
        ? (now === undefined) === (expected === undefined)
        : canonicalJson(now) === canonicalJson(expected);
    if (isSame) sql.set.run(name, JSON.stringify(value));
    return isSame;
  });
  return {
    get: async (name) => read(name),
    set: (name, value) => write(() => sql.set.run(name, JSON.stringify(value))),
    remove: (names) => write(() => sql.drop.run(JSON.stringify(names))),
    async find(beginning) {
      settle();
      const rows = sql.find.all(beginning, `${beginning}\u{10ffff}`) as { name: string; value: string }[];
      return new Map(rows.map(({ name, value }) => [name, JSON.parse(value) as Json]));
    },
    swap: async (name, expected, value) => swap.immediate(name, expected, value),
  };
}
