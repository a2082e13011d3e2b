import { grantOf, type ChargeStore, type DaySpendRecord } from "../../core/index.js";
import type { Access } from "./access.js";
import { CHARGED, numberOf, spendOf, SUMS } from "./records.js";
import { lockFor } from "./store.js";

export const chargeStore = ({ s, read, write, settle, opened, alive }: Access): ChargeStore => ({
  async of(subject, { since, runs } = {}) {
    const rows = await read(
      `SELECT model, step, ${SUMS} FROM ${s}.charges WHERE run IN (SELECT id FROM ${s}.runs WHERE subject = $1
      AND ($2::bigint IS NULL OR started >= $2) AND ($3::text[] IS NULL OR id = ANY($3))) GROUP BY model, step
    ORDER BY model COLLATE "C", step COLLATE "C"`,
      [subject, since === undefined || since === -Infinity ? null : since, runs ? [...runs] : null],
    );
    return rows.map(spendOf);
  },
  async byDay(since) {
    await settle();
    const rows = await read(
      `SELECT day, kind, subject, model, step, ${SUMS} FROM ${s}.charges JOIN ${s}.runs ON runs.id = charges.run WHERE day >= $1
    GROUP BY day, kind, subject, model, step
    ORDER BY day DESC, kind COLLATE "C", subject COLLATE "C", model COLLATE "C", step COLLATE "C"`,
      [since],
    );
    return rows.map((row): DaySpendRecord => ({
      day: Number(row["day"]),
      kind: row["kind"] as DaySpendRecord["kind"],
      subject: row["subject"]!,
      ...spendOf(row),
    }));
  },
  since: async (day, run) => numberOf(await read(CHARGED(s), [day, run ?? null])),
  async reserve(about) {
    // What is on its way to be charged is no longer in its holder's reservation.
    await settle();
    const { store, session } = await opened();
    return store.transaction(async (sql) => {
      await lockFor(sql, s, "reserve");
      const others = numberOf(
        await sql.all(
          `SELECT coalesce(sum(amount), 0) AS n FROM ${s}.reservations WHERE holder <> $1 AND until > $2 AND run IS NOT DISTINCT FROM $3 AND ${alive}`,
          [about.holder, session.there(about.now), about.run ?? null],
        ),
      );
      const amount = grantOf(about, numberOf(await sql.all(CHARGED(s), [about.since, about.run ?? null])) + others);
      if (amount !== undefined)
        await sql.run(
          `INSERT INTO ${s}.reservations (holder, session, amount, until, run) VALUES ($1, $2, $3, $4, $5)
        ON CONFLICT (holder) DO UPDATE SET session = excluded.session, amount = excluded.amount, until = excluded.until, run = excluded.run`,
          [about.holder, session.id, amount, session.there(about.until), about.run ?? null],
        );
      return amount;
    });
  },
  release: (holder) => write((sql) => sql.run(`DELETE FROM ${s}.reservations WHERE holder = $1`, [holder])),
});
