import type { AfterStore, CheckRecord, DecisionStore, Entry } from "../../core/index.js";
import { pages, SOME, type Access } from "./access.js";
import { afterRecord, decisionRecord, noticeRecord, type AfterRow, type DecisionRow, type NoticeRow } from "./rows.js";

/** What people decided about cells, and the way to put it among what is written. */
export function decisionStore({ db, write, settle, placeOf }: Access) {
  const sql = {
    add: db.prepare("INSERT INTO decisions (act, place, key, decision) VALUES (?, ?, ?, ?)"),
    undo: db.prepare("UPDATE decisions SET undone = ? WHERE act = ? AND undone IS NULL"),
    some: db.prepare(
      `SELECT id, undone, decision FROM decisions WHERE place IN (SELECT id FROM places WHERE plan = ?) AND id > ? ORDER BY id LIMIT ${SOME}`,
    ),
    of: db.prepare("SELECT id, undone, decision FROM decisions WHERE place = ? AND key = ? ORDER BY id"),
    ofAct: db.prepare("SELECT id, undone, decision FROM decisions WHERE act = ? ORDER BY id"),
    addCheck: db.prepare("INSERT INTO checks (id, plan, at, drawn) VALUES (?, ?, ?, ?)"),
    checks: db.prepare("SELECT drawn FROM checks WHERE plan = ? ORDER BY at DESC, rowid DESC"),
  };
  const decisions: DecisionStore = {
    async *all(plan) {
      settle();
      for (const rows of pages<DecisionRow>((last) => sql.some.all(plan, last?.id ?? 0) as DecisionRow[])) yield rows.map(decisionRecord);
    },
    async of(plan, step, key) {
      settle();
      return (sql.of.all(placeOf(plan, step), key) as DecisionRow[]).map(decisionRecord);
    },
    async act(act) {
      settle();
      return (sql.ofAct.all(act) as DecisionRow[]).map(decisionRecord);
    },
    addCheck: (check) => write(() => sql.addCheck.run(check.id, check.plan, check.at, JSON.stringify(check))),
    async checks(plan) {
      settle();
      return (sql.checks.all(plan) as { drawn: string }[]).map(({ drawn }) => JSON.parse(drawn) as CheckRecord);
    },
  };
  return {
    decisions,
    put({ decisions: made = [], undone }: Pick<Entry, "decisions" | "undone">): void {
      for (const one of made) sql.add.run(one.act, placeOf(one.plan, one.step), one.key, JSON.stringify(one));
      if (undone) sql.undo.run(JSON.stringify({ by: undone.by, at: undone.at }), undone.act);
    },
  };
}

/** What rules found of rows, with the notices to be sent, and the way to put them among what is written. */
export function afterwardsStore({ db, settle }: Access) {
  const columns = "plan, key, rules, at";
  const sql = {
    find: db.prepare(`SELECT ${columns} FROM afterwards WHERE plan = ? AND key IN (SELECT value FROM json_each(?))`),
    some: db.prepare(`SELECT ${columns} FROM afterwards WHERE plan = @plan AND (@from IS NULL OR key > @from) ORDER BY key LIMIT ${SOME}`),
    mark: db.prepare("SELECT max(id) AS id FROM afterwards WHERE plan = ?"),
    put: db.prepare(`INSERT OR REPLACE INTO afterwards (${columns}) VALUES (?, ?, ?, ?)`),
    putNotice: db.prepare(`INSERT INTO notices (id, plan, waits, notice) VALUES (?, ?, ?, ?)
      ON CONFLICT (id) DO UPDATE SET waits = excluded.waits, notice = excluded.notice`),
    waiting: db.prepare("SELECT plan, notice FROM notices WHERE plan = ? AND waits = 1 ORDER BY n LIMIT ?"),
    newest: db.prepare("SELECT plan, notice FROM notices WHERE plan = ? ORDER BY n DESC LIMIT ?"),
    count: db.prepare("SELECT waits, count(*) AS notices FROM notices WHERE plan = ? GROUP BY waits"),
  };
  const afterwards: AfterStore = {
    async find(plan, keys) {
      const rows = sql.find.all(plan, JSON.stringify(keys)) as AfterRow[];
      return new Map(rows.map((row) => [row.key, afterRecord(row)]));
    },
    async *all(plan) {
      settle();
      for (const rows of pages<AfterRow>((last) => sql.some.all({ plan, from: last?.key ?? null }) as AfterRow[]))
        yield rows.map(afterRecord);
    },
    async mark(plan) {
      settle();
      return String((sql.mark.get(plan) as { id: number | null }).id ?? 0);
    },
    async waiting(plan, limit) {
      settle();
      return (sql.waiting.all(plan, limit) as NoticeRow[]).map(noticeRecord);
    },
    async notices(plan, limit) {
      settle();
      return (sql.newest.all(plan, limit) as NoticeRow[]).map(noticeRecord);
    },
    async count(plan) {
      settle();
      const counts = sql.count.all(plan) as { waits: number; notices: number }[];
      const of = (waits: number): number => counts.find((one) => one.waits === waits)?.notices ?? 0;
      return { waiting: of(1), sent: of(0) };
    },
  };
  return {
    afterwards,
    put({ afterwards: found = [], notices = [] }: Pick<Entry, "afterwards" | "notices">): void {
      for (const { plan, key, rules, at } of found) sql.put.run(plan, key, JSON.stringify(rules), at);
      for (const notice of notices) sql.putNotice.run(notice.id, notice.plan, notice.state === "waiting" ? 1 : 0, JSON.stringify(notice));
    },
  };
}
