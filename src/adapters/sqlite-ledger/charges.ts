import {
  addCharge,
  grantOf,
  runHolder,
  type Charge,
  type ChargeStore,
  type DaySpendRecord,
  type Reservation,
  type SpendRecord,
} from "../../core/index.js";
import type { Access } from "./access.js";
import { isHeld } from "./leases.js";

const SUMS = `sum(requests) AS requests, sum(tokens_in) AS tokensIn, sum(tokens_out) AS tokensOut, sum(spent) AS spent, sum(unsure) AS unsure`;

/** The charges with what is reserved of caps, and the way to put charges among what is written. */
export function chargeStore({ db, write, settle, eachCommit }: Access) {
  const sql = {
    add: db.prepare(`INSERT INTO charges (run, step, model, day, requests, tokens_in, tokens_out, spent, unsure) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
      ON CONFLICT DO UPDATE SET requests = requests + excluded.requests, tokens_in = tokens_in + excluded.tokens_in,
        tokens_out = tokens_out + excluded.tokens_out, spent = spent + excluded.spent, unsure = unsure + excluded.unsure`),
    of: db.prepare(`SELECT model, step, ${SUMS}
      FROM charges WHERE run IN (SELECT id FROM runs WHERE subject = @subject AND started >= coalesce(@since, started)
        AND (@runs IS NULL OR id IN (SELECT value FROM json_each(@runs)))) GROUP BY model, step ORDER BY model, step`),
    byDay: db.prepare(`SELECT day, kind, subject, model, step, ${SUMS}
      FROM charges JOIN runs ON runs.id = charges.run WHERE day >= ?
      GROUP BY day, kind, subject, model, step ORDER BY day DESC, kind, subject, model, step`),
    since: db.prepare("SELECT coalesce(sum(spent + unsure), 0) AS spent FROM charges WHERE day >= @day AND (@run IS NULL OR run = @run)"),
    reservations: db.prepare("SELECT process, amount, until FROM reservations WHERE holder <> @holder AND run IS @run"),
    setReservation: db.prepare("INSERT OR REPLACE INTO reservations (holder, process, amount, until, run) VALUES (?, ?, ?, ?, ?)"),
    lower: db.prepare("UPDATE reservations SET amount = max(0, amount - ?) WHERE holder = ?"),
    drop: db.prepare("DELETE FROM reservations WHERE holder = ?"),
  };
  /** Who reserved room here; others have nothing that charges would lower. */
  const reservers = new Set<string>();
  // Of one commit, what the same run, step, model and day were charged goes into one row at once.
  const gathered = new Map<string, Charge>();
  eachCommit({
    begin: () => gathered.clear(),
    end() {
      for (const { run, step, model, day, requests, tokensIn, tokensOut, spent, unsure } of gathered.values())
        sql.add.run(run, step, model, day, requests, tokensIn, tokensOut, spent, unsure);
    },
  });
  const chargedSince = (day: number, run: string | undefined): number =>
    (sql.since.get({ day, run: run ?? null }) as { spent: number }).spent;
  const reserve = db.transaction((about: Reservation) => {
    const rows = sql.reservations.all({ holder: about.holder, run: about.run ?? null }) as {
      process: number;
      amount: number;
      until: number;
    }[];
    const others = rows.reduce((sum, row) => sum + (isHeld(row, about.now) ? row.amount : 0), 0);
    const amount = grantOf(about, chargedSince(about.since, about.run) + others);
    if (amount !== undefined) sql.setReservation.run(about.holder, process.pid, amount, about.until, about.run ?? null);
    return amount;
  });
  const charges: ChargeStore = {
    of: async (subject, { since, runs } = {}) =>
      sql.of.all({ subject, since: since ?? null, runs: runs ? JSON.stringify(runs) : null }) as SpendRecord[],
    async byDay(since) {
      settle();
      return sql.byDay.all(since) as DaySpendRecord[];
    },
    since: async (day, run) => chargedSince(day, run),
    async reserve(about) {
      // What is on its way to be charged is no longer in its holder's reservation.
      settle();
      reservers.add(about.holder);
      return reserve.immediate(about);
    },
    release: (holder) =>
      write(() => {
        sql.drop.run(holder);
        reservers.delete(holder);
      }),
  };
  return {
    charges,
    put(charge: Charge, holder: string | undefined): void {
      addCharge(gathered, charge);
      for (const one of holder === undefined ? [] : [holder, runHolder(holder)])
        if (reservers.has(one)) sql.lower.run(charge.spent + charge.unsure, one);
    },
  };
}
