import type Database from "better-sqlite3";
import {
  addCharge,
  canonicalJson,
  CELL_COLUMNS,
  grantOf,
  runHolder,
  type Charge,
  type CheckRecord,
  type Json,
  type Ledger,
  type Reservation,
  type DaySpendRecord,
  type SpendRecord,
  type VersionRecord,
} from "../../core/index.js";
import { isRunning } from "../../files/index.js";
import { groupCommit } from "./group-commit.js";
import { openLedgerFile } from "./open-file.js";
import {
  afterRecord,
  answerRecord,
  cellRecord,
  decisionRecord,
  noticeRecord,
  putAnswer,
  putCell,
  runRecord,
  type AfterRow,
  type AnswerRow,
  type CellRow,
  type DecisionRow,
  type NoticeRow,
  type RunRow,
} from "./rows.js";

/** Records that are read at a time when all are wanted. */
const SOME = 500;

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
  const sql = statements(db);
  const places = new Map<string, number>();
  // Of one commit, what the same run, step, model and day were charged goes into one row at once.
  const charges = new Map<string, Charge>();
  /** Who reserved room here; others have nothing that charges would lower. */
  const reservers = new Set<string>();
  /** Runs that go on here, with how many cells they have recorded. */
  const recorded = new Map<string, number>();
  // What is let go of, by its holder.
  const released = new Map<string, string[]>();
  const letGo = (holder: string, names: readonly string[]): void => {
    const all = released.get(holder);
    if (all) all.push(...names);
    else released.set(holder, [...names]);
  };
  const group = groupCommit(
    db.transaction((writes: readonly (() => void)[]) => {
      charges.clear();
      released.clear();
      for (const write of writes) write();
      for (const [holder, names] of released) sql.dropLeases.run(holder, JSON.stringify(names));
      for (const { run, step, model, day, requests, tokensIn, tokensOut, spent, unsure } of charges.values())
        sql.addCharge.run(run, step, model, day, requests, tokensIn, tokensOut, spent, unsure);
    }),
  );

  const placeOf = (plan: string, step: string): number => {
    const id = JSON.stringify([plan, step]);
    let place = places.get(id);
    if (place === undefined) {
      sql.addPlace.run(plan, step);
      place = (sql.place.get(plan, step) as { id: number }).id;
      places.set(id, place);
    }
    return place;
  };

  /** Whether another holds it still. */
  const isHeld = ({ process, until }: { process: number; until: number }, now: number): boolean => until > now && isRunning(process);

  const take = db.transaction((names: readonly string[], holder: string, until: number, now: number) => {
    // Most are free: all at once, then one by one what is not.
    if (sql.takeLeases.run(holder, process.pid, until, JSON.stringify(names)).changes === names.length) return names.map(() => true);
    return names.map((name) => {
      const held = sql.lease.get(name) as { holder: string; process: number; until: number };
      if (held.holder !== holder && isHeld(held, now)) return false;
      sql.setLease.run(holder, process.pid, until, name);
      return true;
    });
  });
  const chargedSince = (day: number, run: string | undefined): number =>
    (sql.chargedSince.get({ day, run: run ?? null }) as { spent: number }).spent;
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
  const swap = db.transaction((name: string, expected: Json | undefined, value: Json) => {
    const now = sql.fact.get(name) as { value: string } | undefined;
    const isSame =
      now === undefined || expected === undefined
        ? (now === undefined) === (expected === undefined)
        : canonicalJson(JSON.parse(now.value) as Json) === canonicalJson(expected);
    if (isSame) sql.setFact.run(name, JSON.stringify(value));
    return isSame;
  });

  /** Lets go of what neither one of a plan's last ten fills has replaced, nor one of them has made. */
  const forgetReplaced = (plan: string): void => {
    const kept = sql.keptRuns.all(plan) as string[];
    for (const name of sql.replacingRuns.all() as string[])
      if (!kept.includes(name) && !kept.some((run) => name.endsWith(`:${run}`)))
        sql.forgetReplaced.run({ name, plan, kept: JSON.stringify(kept) });
  };

  const rename = db.transaction((plan: string, to: string) => {
    for (const statement of sql.dropPlan) statement.run(to);
    sql.renamePlan.run(to, plan);
    for (const statement of sql.renameAfterwards) statement.run(to, plan);
  });

  return {
    answers: {
      async find(fingerprints) {
        const rows = sql.answers.all(JSON.stringify(fingerprints)) as AnswerRow[];
        const found = new Map(rows.map((row) => [row.fingerprint.toString("hex"), row]));
        return fingerprints.map((fingerprint) => {
          const row = found.get(fingerprint);
          return row && answerRecord(row);
        });
      },
      async *all() {
        group.settle();
        for (let from = 0, rows: (AnswerRow & { id: number })[] = []; ; from = rows.at(-1)!.id) {
          rows = sql.someAnswers.all(from, SOME) as (AnswerRow & { id: number })[];
          if (rows.length === 0) return;
          yield rows.map((row) => answerRecord(row));
        }
      },
      async prune({ before, subject }) {
        group.settle();
        return sql.prune.run({ before, subject: subject ?? null }).changes;
      },
    },
    cells: {
      async find(plan, step, keys) {
        const rows = sql.cells.all(placeOf(plan, step), JSON.stringify(keys)) as CellRow[];
        return new Map(rows.map((row) => [row[0], cellRecord(plan, step, row)]));
      },
      async *all() {
        group.settle();
        for (const { id, plan, step } of sql.places.all() as { id: number; plan: string; step: string }[]) {
          // Begun with null, not with the empty text, which is a key like any other.
          for (let from: string | null = null, rows: CellRow[] = []; ; from = rows.at(-1)![0]) {
            rows = sql.someCells.all(id, from, from, SOME) as CellRow[];
            if (rows.length === 0) break;
            yield rows.map((row) => cellRecord(plan, step, row));
          }
        }
      },
      async held(plan, step, { after, like, limit }) {
        group.settle();
        const about = [placeOf(plan, step), ...(like === undefined ? [] : [like]), ...(after === undefined ? [] : [after]), limit];
        const statement =
          like === undefined ? (after === undefined ? sql.held : sql.heldAfter) : after === undefined ? sql.heldAlike : sql.heldAlikeAfter;
        return (statement.all(...about) as CellRow[]).map((row) => cellRecord(plan, step, row));
      },
      async countHeld(plan, step, like) {
        group.settle();
        const place = placeOf(plan, step);
        return ((like === undefined ? sql.countHeld.get(place) : sql.countAlike.get(place, like)) as { rows: number }).rows;
      },
      async changedSince(plan, step, at) {
        group.settle();
        return (sql.changedSince.all(placeOf(plan, step), at) as [string][]).map(([key]) => key);
      },
      async rename(plan, to) {
        group.settle();
        rename.immediate(plan, to);
        places.clear();
      },
      async *changedBy(run, plan) {
        group.settle();
        for (const { id, step } of (sql.places.all() as { id: number; plan: string; step: string }[]).filter((one) => one.plan === plan)) {
          for (let from: string | null = null, rows: CellRow[] = []; ; from = rows.at(-1)![0]) {
            rows = sql.cellsOfRun.all(id, run, from, from, SOME) as CellRow[];
            if (rows.length === 0) break;
            const before = new Map(
              (sql.replacedAmong.all(run, id, JSON.stringify(rows.map(([key]) => key))) as CellRow[]).map((row) => [row[0], row]),
            );
            yield rows.map((row) => {
              const old = before.get(row[0]);
              const now = cellRecord(plan, step, row);
              return { now, after: now, before: old && cellRecord(plan, step, old) };
            });
          }
          // What another has changed since: the cell as it stands, as this run left it, and as it stood before.
          for (let from: string | null = null, rows: CellRow[] = []; ; from = rows.at(-1)![0]) {
            rows = sql.replacedOfRun.all(run, id, from, from, SOME) as CellRow[];
            if (rows.length === 0) break;
            const keys = JSON.stringify(rows.map(([key]) => key));
            const byKey = (found: unknown[]): Map<string, CellRow> => new Map((found as CellRow[]).map((row) => [row[0], row]));
            const now = byKey(sql.cells.all(id, keys));
            const before = byKey(sql.replacedAmong.all(run, id, keys));
            yield rows.map((row) => {
              const [old, stands] = [before.get(row[0]), now.get(row[0]) ?? row];
              return {
                now: cellRecord(plan, step, stands),
                after: cellRecord(plan, step, row),
                before: old && cellRecord(plan, step, old),
              };
            });
          }
        }
      },
    },
    decisions: {
      async *all(plan) {
        group.settle();
        for (let from = 0, rows: DecisionRow[] = []; ; from = rows.at(-1)!.id) {
          rows = sql.someDecisions.all(plan, from, SOME) as DecisionRow[];
          if (rows.length === 0) return;
          yield rows.map(decisionRecord);
        }
      },
      async of(plan, step, key) {
        group.settle();
        return (sql.decisionsOf.all(placeOf(plan, step), key) as DecisionRow[]).map(decisionRecord);
      },
      async act(act) {
        group.settle();
        return (sql.decisionsOfAct.all(act) as DecisionRow[]).map(decisionRecord);
      },
      addCheck: (check) => group.write(() => sql.addCheck.run(check.id, check.plan, check.at, JSON.stringify(check))),
      async checks(plan) {
        group.settle();
        return (sql.checks.all(plan) as { drawn: string }[]).map(({ drawn }) => JSON.parse(drawn) as CheckRecord);
      },
    },
    afterwards: {
      async find(plan, keys) {
        const rows = sql.afterwards.all(plan, JSON.stringify(keys)) as AfterRow[];
        return new Map(rows.map((row) => [row.key, afterRecord(row)]));
      },
      async *all(plan) {
        group.settle();
        for (let from: string | null = null, rows: AfterRow[] = []; ; from = rows.at(-1)!.key) {
          rows = sql.someAfterwards.all({ plan, from, limit: SOME }) as AfterRow[];
          if (rows.length === 0) return;
          yield rows.map(afterRecord);
        }
      },
      async mark(plan) {
        group.settle();
        return String((sql.afterMark.get(plan) as { id: number | null }).id ?? 0);
      },
      async waiting(plan, limit) {
        group.settle();
        return (sql.waitingNotices.all(plan, limit) as NoticeRow[]).map(noticeRecord);
      },
      async notices(plan, limit) {
        group.settle();
        return (sql.newestNotices.all(plan, limit) as NoticeRow[]).map(noticeRecord);
      },
      async count(plan) {
        group.settle();
        const counts = sql.countNotices.all(plan) as { waits: number; notices: number }[];
        const of = (waits: number): number => counts.find((one) => one.waits === waits)?.notices ?? 0;
        return { waiting: of(1), sent: of(0) };
      },
    },
    charges: {
      of: async (subject, { since, runs } = {}) =>
        sql.chargesOf.all({ subject, since: since ?? null, runs: runs ? JSON.stringify(runs) : null }) as SpendRecord[],
      byDay: async (since) => {
        group.settle();
        return sql.chargesByDay.all(since) as DaySpendRecord[];
      },
      since: async (day, run) => chargedSince(day, run),
      async reserve(about) {
        // What is on its way to be charged is no longer in its holder's reservation.
        group.settle();
        reservers.add(about.holder);
        return reserve.immediate(about);
      },
      release: (holder) =>
        group.write(() => {
          sql.dropReservation.run(holder);
          reservers.delete(holder);
        }),
    },
    runs: {
      start: (run) =>
        group.write(() => {
          sql.startRun.run(run.id, run.kind, run.subject, run.startedAt);
          recorded.set(run.id, 0);
          if (run.kind === "fill") forgetReplaced(run.subject);
        }),
      end: (run) =>
        group.write(() => {
          sql.endRun.run(run.endedAt, run.end, JSON.stringify(run.tally), recorded.get(run.id) ?? 0, run.id);
          recorded.delete(run.id);
        }),
      find: async (kind, subject, limit) => (sql.runs.all(kind, subject, limit) as RunRow[]).map(runRecord),
      recent: async ({ limit, before, kind, subject }) => {
        group.settle();
        return (sql.recentRuns.all({ limit, before: before ?? null, kind: kind ?? null, subject: subject ?? null }) as RunRow[]).map(
          runRecord,
        );
      },
    },
    versions: {
      async of(template, { hash, text, at }) {
        let found = sql.version.get(template, hash) as VersionRecord | undefined;
        if (!found) {
          await group.write(() => sql.addVersion.run({ template, hash, text, at }));
          found = sql.version.get(template, hash) as VersionRecord;
        }
        return found;
      },
      all: async (template) => sql.versions.all(template) as VersionRecord[],
    },
    facts: {
      async get(name) {
        const row = sql.fact.get(name) as { value: string } | undefined;
        return row && (JSON.parse(row.value) as Json);
      },
      set: (name, value) => group.write(() => sql.setFact.run(name, JSON.stringify(value))),
      remove: (names) => group.write(() => sql.dropFacts.run(JSON.stringify(names))),
      find: async (beginning) => {
        group.settle();
        const rows = sql.facts.all(beginning, `${beginning}\u{10ffff}`) as { name: string; value: string }[];
        return new Map(rows.map(({ name, value }) => [name, JSON.parse(value) as Json]));
      },
      swap: async (name, expected, value) => swap.immediate(name, expected, value),
    },
    leases: {
      take: async (names, { holder, until, now }) => (names.length === 0 ? [] : take.immediate(names, holder, until, now)),
      isTaken: async (name, now) => {
        group.settle();
        const held = sql.lease.get(name) as { process: number; until: number } | undefined;
        return held !== undefined && isHeld(held, now);
      },
      release: (holder, names) => group.write(() => letGo(holder, names)),
    },
    record: ({
      answers = [],
      cells = [],
      decisions = [],
      afterwards = [],
      notices = [],
      undone,
      charges: more = [],
      replace = false,
      holder,
      release = [],
    }) =>
      group.write(() => {
        for (const charge of more) {
          addCharge(charges, charge);
          for (const one of holder === undefined ? [] : [holder, runHolder(holder)])
            if (reservers.has(one)) sql.lowerReservation.run(charge.spent + charge.unsure, one);
        }
        for (const record of answers) putAnswer(replace ? sql.replaceAnswer : sql.addAnswer, record);
        for (const record of cells) {
          const place = placeOf(record.plan, record.step);
          sql.keepReplaced.run({ run: record.run, place, key: record.key });
          const cells = recorded.get(record.run);
          if (cells === undefined) sql.countCells.run(record.run);
          else recorded.set(record.run, cells + 1);
          putCell(sql.putCell, place, record);
        }
        for (const decision of decisions)
          sql.addDecision.run(decision.act, placeOf(decision.plan, decision.step), decision.key, JSON.stringify(decision));
        for (const { plan, key, rules, at } of afterwards) sql.putAfterwards.run(plan, key, JSON.stringify(rules), at);
        for (const notice of notices) sql.putNotice.run(notice.id, notice.plan, notice.state === "waiting" ? 1 : 0, JSON.stringify(notice));
        if (undone) sql.undo.run(JSON.stringify({ by: undone.by, at: undone.at }), undone.act);
        if (holder !== undefined && release.length > 0) letGo(holder, release);
      }),
    mark: async () => String(sql.mark.get()),
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

function statements(db: Database.Database) {
  const answer = "(fingerprint, template, version, model, run, at, spent, basis, answer) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)";
  return {
    mark: db.prepare("PRAGMA data_version").pluck(),
    answers: db.prepare(
      "SELECT fingerprint, template, version, model, run, at, basis, answer FROM answers WHERE fingerprint IN (SELECT unhex(value) FROM json_each(?))",
    ),
    addAnswer: db.prepare(`INSERT INTO answers ${answer} ON CONFLICT (fingerprint) DO NOTHING`),
    replaceAnswer: db.prepare(`INSERT OR REPLACE INTO answers ${answer}`),
    addPlace: db.prepare("INSERT INTO places (plan, step) VALUES (?, ?) ON CONFLICT DO NOTHING"),
    place: db.prepare("SELECT id FROM places WHERE plan = ? AND step = ?"),
    cells: db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND key IN (SELECT value FROM json_each(?))`).raw(),
    putCell: db.prepare(
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
    countCells: db.prepare("UPDATE runs SET cells = cells + 1 WHERE id = ? AND cells IS NOT NULL"),
    cellsOfRun: db
      .prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND run = ? AND (? IS NULL OR key > ?) ORDER BY key LIMIT ?`)
      .raw(),
    replacedAmong: db
      .prepare(`SELECT ${CELL_COLUMNS} FROM replaced WHERE by_run = ? AND place = ? AND key IN (SELECT value FROM json_each(?))`)
      .raw(),
    replacedOfRun: db
      .prepare(
        `SELECT ${CELL_COLUMNS} FROM replaced WHERE run = ? AND place = ? AND (? IS NULL OR key > ?) GROUP BY key ORDER BY key LIMIT ?`,
      )
      .raw(),
    // One statement for where a page begins, so that none scans what stands before it.
    held: heldStatement(db, "alike > ''", false),
    heldAfter: heldStatement(db, "alike > ''", true),
    heldAlike: heldStatement(db, "alike = ?", false),
    heldAlikeAfter: heldStatement(db, "alike = ?", true),
    changedSince: db.prepare("SELECT key FROM cells WHERE place = ? AND at >= ?").raw(),
    countHeld: db.prepare("SELECT count(*) AS rows FROM cells WHERE place = ? AND alike > ''"),
    countAlike: db.prepare("SELECT count(*) AS rows FROM cells WHERE place = ? AND alike = ?"),
    dropPlan: ["cells", "replaced", "decisions"]
      .map((table) => `DELETE FROM ${table} WHERE place IN (SELECT id FROM places WHERE plan = ?)`)
      .concat("DELETE FROM places WHERE plan = ?", "DELETE FROM afterwards WHERE plan = ?", "DELETE FROM notices WHERE plan = ?")
      .map((text) => db.prepare(text)),
    renamePlan: db.prepare("UPDATE places SET plan = ? WHERE plan = ?"),
    renameAfterwards: ["afterwards", "notices"].map((table) => db.prepare(`UPDATE ${table} SET plan = ? WHERE plan = ?`)),
    afterwards: db.prepare("SELECT plan, key, rules, at FROM afterwards WHERE plan = ? AND key IN (SELECT value FROM json_each(?))"),
    someAfterwards: db.prepare(
      "SELECT plan, key, rules, at FROM afterwards WHERE plan = @plan AND (@from IS NULL OR key > @from) ORDER BY key LIMIT @limit",
    ),
    afterMark: db.prepare("SELECT max(id) AS id FROM afterwards WHERE plan = ?"),
    putAfterwards: db.prepare("INSERT OR REPLACE INTO afterwards (plan, key, rules, at) VALUES (?, ?, ?, ?)"),
    putNotice: db.prepare(
      "INSERT INTO notices (id, plan, waits, notice) VALUES (?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET waits = excluded.waits, notice = excluded.notice",
    ),
    waitingNotices: db.prepare("SELECT plan, notice FROM notices WHERE plan = ? AND waits = 1 ORDER BY n LIMIT ?"),
    newestNotices: db.prepare("SELECT plan, notice FROM notices WHERE plan = ? ORDER BY n DESC LIMIT ?"),
    countNotices: db.prepare("SELECT waits, count(*) AS notices FROM notices WHERE plan = ? GROUP BY waits"),
    addDecision: db.prepare("INSERT INTO decisions (act, place, key, decision) VALUES (?, ?, ?, ?)"),
    undo: db.prepare("UPDATE decisions SET undone = ? WHERE act = ? AND undone IS NULL"),
    someDecisions: db.prepare(
      "SELECT id, undone, decision FROM decisions WHERE place IN (SELECT id FROM places WHERE plan = ?) AND id > ? ORDER BY id LIMIT ?",
    ),
    decisionsOf: db.prepare("SELECT id, undone, decision FROM decisions WHERE place = ? AND key = ? ORDER BY id"),
    decisionsOfAct: db.prepare("SELECT id, undone, decision FROM decisions WHERE act = ? ORDER BY id"),
    addCheck: db.prepare("INSERT INTO checks (id, plan, at, drawn) VALUES (?, ?, ?, ?)"),
    checks: db.prepare("SELECT drawn FROM checks WHERE plan = ? ORDER BY at DESC, rowid DESC"),
    version: db.prepare("SELECT template, version, hash, text, at FROM versions WHERE template = ? AND hash = ?"),
    addVersion: db.prepare(`INSERT INTO versions (template, version, hash, text, at)
      SELECT @template, 1 + coalesce(max(version), 0), @hash, @text, @at FROM versions WHERE template = @template ON CONFLICT DO NOTHING`),
    versions: db.prepare("SELECT template, version, hash, text, at FROM versions WHERE template = ? ORDER BY version"),
    startRun: db.prepare("INSERT INTO runs (id, kind, subject, started) VALUES (?, ?, ?, ?)"),
    endRun: db.prepare("UPDATE runs SET ended = ?, outcome = ?, tally = ?, cells = ? WHERE id = ?"),
    runs: db.prepare(
      "SELECT id, kind, subject, started, ended, outcome, tally, cells FROM runs WHERE kind = ? AND subject = ? ORDER BY started DESC LIMIT ?",
    ),
    recentRuns: db.prepare(`SELECT id, kind, subject, started, ended, outcome, tally, cells FROM runs
      WHERE (@before IS NULL OR started < @before) AND (@kind IS NULL OR kind = @kind) AND (@subject IS NULL OR subject = @subject)
      ORDER BY started DESC LIMIT @limit`),
    addCharge:
      db.prepare(`INSERT INTO charges (run, step, model, day, requests, tokens_in, tokens_out, spent, unsure) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
      ON CONFLICT DO UPDATE SET requests = requests + excluded.requests, tokens_in = tokens_in + excluded.tokens_in, tokens_out = tokens_out + excluded.tokens_out, spent = spent + excluded.spent, unsure = unsure + excluded.unsure`),
    chargesOf:
      db.prepare(`SELECT model, step, sum(requests) AS requests, sum(tokens_in) AS tokensIn, sum(tokens_out) AS tokensOut, sum(spent) AS spent, sum(unsure) AS unsure
      FROM charges WHERE run IN (SELECT id FROM runs WHERE subject = @subject AND started >= coalesce(@since, started)
        AND (@runs IS NULL OR id IN (SELECT value FROM json_each(@runs)))) GROUP BY model, step ORDER BY model, step`),
    chargesByDay:
      db.prepare(`SELECT day, kind, subject, model, step, sum(requests) AS requests, sum(tokens_in) AS tokensIn, sum(tokens_out) AS tokensOut, sum(spent) AS spent, sum(unsure) AS unsure
      FROM charges JOIN runs ON runs.id = charges.run WHERE day >= ? GROUP BY day, kind, subject, model, step ORDER BY day DESC, kind, subject, model, step`),
    chargedSince: db.prepare(
      "SELECT coalesce(sum(spent + unsure), 0) AS spent FROM charges WHERE day >= @day AND (@run IS NULL OR run = @run)",
    ),
    someAnswers: db.prepare(
      "SELECT id, fingerprint, template, version, model, run, at, basis, answer FROM answers WHERE id > ? ORDER BY id LIMIT ?",
    ),
    places: db.prepare("SELECT id, plan, step FROM places ORDER BY id"),
    someCells: db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND (? IS NULL OR key > ?) ORDER BY key LIMIT ?`).raw(),
    prune: db.prepare(`DELETE FROM answers WHERE at < @before
      AND (@subject IS NULL OR run IN (SELECT id FROM runs WHERE subject = @subject))
      AND fingerprint NOT IN (SELECT fingerprint FROM cells WHERE fingerprint IS NOT NULL)`),
    fact: db.prepare("SELECT value FROM notes WHERE name = ?"),
    facts: db.prepare("SELECT name, value FROM notes WHERE name >= ? AND name < ? AND value <> 'null' ORDER BY name"),
    setFact: db.prepare("INSERT OR REPLACE INTO notes (name, value) VALUES (?, ?)"),
    dropFacts: db.prepare("DELETE FROM notes WHERE name IN (SELECT value FROM json_each(?))"),
    takeLeases: db.prepare(
      "INSERT INTO leases (name, holder, process, until) SELECT value, ?, ?, ? FROM json_each(?) WHERE true ON CONFLICT DO NOTHING",
    ),
    lease: db.prepare("SELECT holder, process, until FROM leases WHERE name = ?"),
    setLease: db.prepare("UPDATE leases SET holder = ?, process = ?, until = ? WHERE name = ?"),
    dropLeases: db.prepare("DELETE FROM leases WHERE holder = ? AND name IN (SELECT value FROM json_each(?))"),
    reservations: db.prepare("SELECT process, amount, until FROM reservations WHERE holder <> @holder AND run IS @run"),
    setReservation: db.prepare("INSERT OR REPLACE INTO reservations (holder, process, amount, until, run) VALUES (?, ?, ?, ?, ?)"),
    lowerReservation: db.prepare("UPDATE reservations SET amount = max(0, amount - ?) WHERE holder = ?"),
    dropReservation: db.prepare("DELETE FROM reservations WHERE holder = ?"),
  };
}

const heldStatement = (db: Database.Database, which: string, isAfter: boolean): Database.Statement =>
  db.prepare(`SELECT ${CELL_COLUMNS} FROM cells WHERE place = ? AND ${which}${isAfter ? " AND key > ?" : ""} ORDER BY key LIMIT ?`).raw();
