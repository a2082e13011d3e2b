import type { Ledger } from "../../core/index.js";
import type { Access, Gathered, Place } from "./access.js";
import { answerStore } from "./answers.js";
import { cellStore } from "./cells.js";
import { chargeStore } from "./charges.js";
import { afterwardsStore, decisionStore } from "./decisions.js";
import { factStore } from "./facts.js";
import { groupCommit } from "./group-commit.js";
import { leaseStore } from "./leases.js";
import { openLedgerFile } from "./open-file.js";
import { runStore, versionStore } from "./runs.js";

/**
 * The ledger in one SQLite file. Writes are committed in groups to its write-ahead log, which survives the end of the
 * process at any moment; `flush` also brings them to the disk, so that they survive the loss of power.
 *
 * @throws YoroshiError `ledgerNewer`, `ledgerBroken`.
 * @example
 * ```ts
 * import { sqliteLedger } from "yoroshi/node";
 *
 * const ledger = sqliteLedger("ledger.sqlite");
 * await ledger.facts.set("seen", 3);
 * await ledger.facts.get("seen"); // => 3
 * await ledger.close();
 * ```
 */
export function sqliteLedger(file: string): Ledger {
  const db = openLedgerFile(file);
  const gathered: Gathered[] = [];
  const group = groupCommit(
    db.transaction((writes: readonly (() => void)[]) => {
      for (const one of gathered) one.begin();
      for (const write of writes) write();
      for (const one of gathered) one.end();
    }),
  );
  const access: Access = {
    db,
    write: group.write,
    settle: group.settle,
    eachCommit: (one) => void gathered.push(one),
    ...placesOf(db),
  };
  const { answers, put: putAnswer } = answerStore(access);
  const { cells, put: putCell, forgetReplaced } = cellStore(access);
  const { decisions, put: putDecisions } = decisionStore(access);
  const { afterwards, put: putAfterwards } = afterwardsStore(access);
  const { charges, put: putCharge } = chargeStore(access);
  const { leases, letGo } = leaseStore(access);
  const { runs, countCell } = runStore(access, forgetReplaced);
  const dataVersion = db.prepare("PRAGMA data_version").pluck();
  return {
    answers,
    cells,
    decisions,
    afterwards,
    charges,
    runs,
    versions: versionStore(access),
    facts: factStore(access),
    leases,
    record: (entry) =>
      group.write(() => {
        for (const charge of entry.charges ?? []) putCharge(charge, entry.holder);
        for (const record of entry.answers ?? []) putAnswer(record, entry.replace === true);
        for (const record of entry.cells ?? []) {
          countCell(record.run);
          putCell(record);
        }
        putDecisions(entry);
        putAfterwards(entry);
        if (entry.holder !== undefined && entry.release?.length) letGo(entry.holder, entry.release);
      }),
    mark: async () => String(dataVersion.get()),
    async flush() {
      group.settle();
      db.pragma("wal_checkpoint(FULL)");
    },
    async close() {
      group.settle();
      db.close();
    },
  };
}

/** The numbers of plans' steps, by which their cells are kept. */
function placesOf(db: Access["db"]): Pick<Access, "placeOf" | "places" | "forgetPlaces"> {
  const sql = {
    all: db.prepare("SELECT id, plan, step FROM places ORDER BY id"),
    add: db.prepare("INSERT INTO places (plan, step) VALUES (?, ?) ON CONFLICT DO NOTHING"),
    find: db.prepare("SELECT id FROM places WHERE plan = ? AND step = ?"),
  };
  const known = new Map<string, number>();
  return {
    placeOf(plan, step) {
      const id = JSON.stringify([plan, step]);
      let place = known.get(id);
      if (place === undefined) {
        sql.add.run(plan, step);
        place = (sql.find.get(plan, step) as Place).id;
        known.set(id, place);
      }
      return place;
    },
    places: () => sql.all.all() as Place[],
    forgetPlaces: () => known.clear(),
  };
}
