import type { Clock, Ledger } from "../../core/index.js";
import type { Access } from "./access.js";
import { answerStore } from "./answers.js";
import { cellStore } from "./cells.js";
import { chargeStore } from "./charges.js";
import { afterwardsStore, decisionStore } from "./decisions.js";
import { factStore, leaseStore } from "./facts.js";
import { writeGroups, type Step } from "./group.js";
import { requireOwner, type LedgerOwner } from "./owner.js";
import { putEntries } from "./put-entries.js";
import { numberOf } from "./records.js";
import { runStore, versionStore } from "./runs.js";
import { beginSession, SILENT, type Session } from "./session.js";
import { openStore, type LedgerDatabase, type Statements, type Store, type TextRow } from "./store.js";

/** How a ledger in PostgreSQL is opened. */
export interface PostgresLedgerOptions {
  /** The schema that is the ledger's own; made where there is none. Default `yoroshi`. */
  readonly schema?: string | undefined;
  readonly clock: Clock;
  /** Whose ledger it is, so that two projects do not share one by mistake. Default: nobody looks. */
  readonly owner?: LedgerOwner | undefined;
  /** Told what a person should know though nothing is wrong. */
  readonly onNotice?: ((text: string) => void) | undefined;
}

/**
 * The ledger in a schema of a PostgreSQL database, for as many processes and machines as one likes. Writes are committed in groups; one
 * whose answer was lost on the way is not done twice. What a process holds is free 15 seconds after it was last seen; times go by the
 * database's clock. The database is opened at the first use.
 *
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 * import { openDatabase, plainSql, postgresLedger } from "yoroshi/node";
 *
 * const clock = systemClock();
 * const database = await openDatabase({ name: "main", url: process.env.DATABASE_URL, clock });
 * const ledger = postgresLedger(plainSql(database), { clock });
 * await ledger.facts.set("seen", 3);
 * await ledger.close();
 * ```
 */
export function postgresLedger(
  database: LedgerDatabase,
  { schema = "yoroshi", clock, owner, onNotice = () => undefined }: PostgresLedgerOptions,
): Ledger {
  const s = `"${schema}"`;
  let current: Session | undefined;
  let opening: Promise<{ store: Store; session: Session }> | undefined;
  const opened = (): Promise<{ store: Store; session: Session }> => {
    opening ??= (async () => {
      const store = await openStore(database, schema);
      if (owner) await requireOwner(store, owner, `${schema} in the database ${database.name}`, clock);
      current = await beginSession(store, clock, onNotice);
      return { store, session: current };
    })();
    // A database that was not there may be the next time.
    opening.catch(() => (opening = undefined));
    return opening;
  };
  const read = async (text: string, values: readonly unknown[] = []): Promise<readonly TextRow[]> =>
    (await opened()).store.read(text, values);

  const places = new Map<string, number>();
  /** Gives places within a transaction; those that it makes are known to `found` alone until it is committed. */
  const placesWithin =
    (found: Map<string, number>) =>
    async (sql: Statements, plan: string, step: string): Promise<number> => {
      const id = JSON.stringify([plan, step]);
      const known = places.get(id) ?? found.get(id);
      if (known !== undefined) return known;
      await sql.run(`INSERT INTO ${s}.places (plan, step) VALUES ($1, $2) ON CONFLICT DO NOTHING`, [plan, step]);
      const place = Number((await sql.all(`SELECT id FROM ${s}.places WHERE plan = $1 AND step = $2`, [plan, step]))[0]!["id"]);
      found.set(id, place);
      return place;
    };
  const placeOf = async (plan: string, step: string): Promise<number | undefined> => {
    const id = JSON.stringify([plan, step]);
    let place = places.get(id);
    if (place === undefined) {
      const [row] = await read(`SELECT id FROM ${s}.places WHERE plan = $1 AND step = $2`, [plan, step]);
      if (!row) return undefined;
      place = Number(row["id"]);
      places.set(id, place);
    }
    return place;
  };

  let commits = 0;
  const group = writeGroups(async (steps: readonly Step[]) => {
    const { store, session } = await opened();
    const id = `${session.id}-${++commits}`;
    const found = new Map<string, number>();
    await store.transaction(async (sql) => {
      found.clear();
      const isNew = await sql.run(`INSERT INTO ${s}.commits (id, session) VALUES ($1, $2) ON CONFLICT DO NOTHING`, [id, session.id]);
      if (isNew === 0) return;
      for (const step of steps) {
        if ("work" in step) await step.work(sql);
        else await putEntries(sql, s, step.entries, session.writer, placesWithin(found));
      }
    });
    for (const [place, number] of found) places.set(place, number);
  });
  const access: Access = {
    s,
    alive: `session IN (SELECT id FROM ${s}.sessions WHERE seen > clock_timestamp() - ${SILENT})`,
    read,
    write: (work) => group.write({ work }),
    settle: () => group.settle(),
    opened,
    current: () => current,
    placeOf,
    forgetPlaces: () => places.clear(),
  };
  return {
    answers: answerStore(access),
    cells: cellStore(access),
    decisions: decisionStore(access),
    afterwards: afterwardsStore(access),
    charges: chargeStore(access),
    runs: runStore(access),
    versions: versionStore(access),
    facts: factStore(access),
    leases: leaseStore(access),
    record: (entry) => group.write({ entry }),
    async mark() {
      const { session } = await opened();
      return String(numberOf(await read(`SELECT coalesce(max(seq), 0) AS n FROM ${s}.commits WHERE session <> $1`, [session.id])));
    },
    flush: () => group.settle(),
    async close() {
      if (opening) {
        await group.settle();
        const { session } = await opening;
        await session.end();
      }
      await database.close();
    },
  };
}
