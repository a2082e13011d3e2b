import { readFileSync, readlinkSync } from "node:fs";
import { hostname } from "node:os";
import type { Clock } from "../../core/index.js";
import { isRunning } from "../../files/index.js";
import type { Store } from "./store.js";

/** How often a process says that it is there, and after how long a silence what it holds is free. */
const BEAT_MS = 3_000;
export const SILENT = "interval '15 seconds'";
/** After so long without saying so, it counts itself as not seen: a little before the others do. */
const UNSEEN_MS = 12_000;
/** Clocks that differ by more are told of. */
const TOLD_MS = 30_000;
/** Sessions that were last seen so long ago, and commits of them, are forgotten. */
const FORGET = "interval '10 minutes'";

/** So many do not wait for each other. */
const WRITERS = 1_000;

/** The place whose processes can be told by their numbers: a machine since it was started, or a container of it. */
const HERE = [
  hostname(),
  read(() => readFileSync("/proc/sys/kernel/random/boot_id", "utf8")),
  read(() => readlinkSync("/proc/self/ns/pid")),
].join(" ");

function read(way: () => string): string {
  try {
    return way().trim();
  } catch {
    return ""; // no such system
  }
}

/** Forgets sessions of processes that ran here and are no more: nobody need wait until their silence is long enough. */
export async function buryDead(store: Store): Promise<void> {
  const rows = await store.read(`SELECT id, process FROM ${store.schema}.sessions WHERE host = $1`, [HERE]);
  const dead = rows.filter((row) => !isRunning(Number(row["process"]))).map((row) => row["id"]!);
  if (dead.length > 0) await store.read(`DELETE FROM ${store.schema}.sessions WHERE id = ANY($1::text[])`, [dead]);
}

/** This process as the database knows it. */
export interface Session {
  readonly id: string;
  /** The number by which sums that several processes add to are kept apart; two may have the same. */
  readonly writer: number;
  /** A moment of this process's clock, in milliseconds since 1970, as the database's clock has it: machines' clocks differ. */
  there(moment: number): number;
  /** Whether what was taken at a moment may have been lost since. */
  mayHaveLost(takenAt: number): boolean;
  end(): Promise<void>;
}

export async function beginSession(store: Store, clock: Clock, onNotice: (text: string) => void): Promise<Session> {
  const id = `${clock.now().toString(36)}-${process.pid}-${Math.floor(clock.random() * 0xffffffff).toString(36)}`;
  let ahead = 0;
  let told = false;
  let [beatAt, gapAt] = [clock.now(), -Infinity];
  const beat = async (): Promise<void> => {
    const before = clock.now();
    const [row] = await store.read(
      `INSERT INTO ${store.schema}.sessions (id, seen, host, process) VALUES ($1, clock_timestamp(), $2, $3)
      ON CONFLICT (id) DO UPDATE SET seen = clock_timestamp() RETURNING extract(epoch FROM seen) * 1000 AS now`,
      [id, HERE, process.pid],
    );
    if (before - beatAt > UNSEEN_MS) gapAt = before;
    beatAt = before;
    const now = Number(row!["now"]);
    const here = (before + clock.now()) / 2;
    // What lies between the two clocks by the way alone is no difference.
    ahead = Math.abs(now - here) < clock.now() - before + 50 ? 0 : now - here;
    if (Math.abs(ahead) > TOLD_MS && !told) {
      told = true;
      onNotice(
        `This machine's clock is ${Math.round(Math.abs(ahead) / 1000)} seconds ${ahead > 0 ? "behind" : "ahead of"} the database's. Who holds what goes by the database's clock; set this one right.`,
      );
    }
  };
  await beat();
  await buryDead(store);
  await store.read(`DELETE FROM ${store.schema}.commits WHERE at < now() - ${FORGET}`);
  await store.read(`DELETE FROM ${store.schema}.sessions WHERE seen < now() - ${FORGET}`);
  // What the dead held counts for nothing, and need not lie about.
  for (const held of ["leases", "reservations"])
    await store.read(`DELETE FROM ${store.schema}.${held} WHERE session NOT IN (SELECT id FROM ${store.schema}.sessions)`);
  let under: Promise<void> | undefined;
  const timer = setInterval(() => {
    // What is wrong shows in the next thing that is asked of the ledger.
    under ??= beat().then(
      () => void (under = undefined),
      () => void (under = undefined),
    );
  }, BEAT_MS);
  timer.unref();
  return {
    id,
    writer: Math.floor(clock.random() * WRITERS),
    mayHaveLost: (takenAt) => clock.now() - beatAt > UNSEEN_MS || gapAt >= takenAt,
    there: (moment) => (moment >= Number.MAX_SAFE_INTEGER ? moment : moment + ahead),
    async end() {
      clearInterval(timer);
      await under;
      await store.read(`DELETE FROM ${store.schema}.leases WHERE session = $1`, [id]);
      await store.read(`DELETE FROM ${store.schema}.reservations WHERE session = $1`, [id]);
      await store.read(`DELETE FROM ${store.schema}.sessions WHERE id = $1`, [id]);
    },
  };
}
