import type { LeaseStore } from "../../core/index.js";
import { isRunning } from "../../files/index.js";
import type { Access } from "./access.js";

/** Whether it is held still: in time, and by a process that lives. */
export const isHeld = ({ process, until }: { readonly process: number; readonly until: number }, now: number): boolean =>
  until > now && isRunning(process);

/** Names that processes hold, and the way to let go of them among what is written. */
export function leaseStore({ db, write, settle, eachCommit }: Access) {
  const sql = {
    takeAll: db.prepare(
      "INSERT INTO leases (name, holder, process, until) SELECT value, ?, ?, ? FROM json_each(?) WHERE true ON CONFLICT DO NOTHING",
    ),
    find: db.prepare("SELECT holder, process, until FROM leases WHERE name = ?"),
    set: db.prepare("UPDATE leases SET holder = ?, process = ?, until = ? WHERE name = ?"),
    drop: db.prepare("DELETE FROM leases WHERE holder = ? AND name IN (SELECT value FROM json_each(?))"),
  };
  // What is let go of in one commit, by its holder.
  const released = new Map<string, string[]>();
  eachCommit({
    begin: () => released.clear(),
    end() {
      for (const [holder, names] of released) sql.drop.run(holder, JSON.stringify(names));
    },
  });
  const letGo = (holder: string, names: readonly string[]): void => {
    const all = released.get(holder);
    if (all) all.push(...names);
    else released.set(holder, [...names]);
  };
  const take = db.transaction((names: readonly string[], holder: string, until: number, now: number) => {
    // Most are free: all at once, then one by one what is not.
    if (sql.takeAll.run(holder, process.pid, until, JSON.stringify(names)).changes === names.length) return names.map(() => true);
    return names.map((name) => {
      const held = sql.find.get(name) as { holder: string; process: number; until: number };
      if (held.holder !== holder && isHeld(held, now)) return false;
      sql.set.run(holder, process.pid, until, name);
      return true;
    });
  });
  const leases: LeaseStore = {
    take: async (names, { holder, until, now }) => (names.length === 0 ? [] : take.immediate(names, holder, until, now)),
    async isTaken(name, now) {
      settle();
      const held = sql.find.get(name) as { process: number; until: number } | undefined;
      return held !== undefined && isHeld(held, now);
    },
    release: (holder, names) => write(() => letGo(holder, names)),
  };
  return { leases, letGo };
}
