import type { AnswerRecord, AnswerStore } from "../../core/index.js";
import { pages, SOME, type Access } from "./access.js";
import { answerRecord, putAnswer, type AnswerRow } from "./rows.js";

const COLUMNS = "fingerprint, template, version, model, run, at, basis, answer";
const VALUES = "(fingerprint, template, version, model, run, at, spent, basis, answer) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)";

/** The answers, and the way to put one among what is written. */
export function answerStore({ db, settle }: Access) {
  const sql = {
    find: db.prepare(`SELECT ${COLUMNS} FROM answers WHERE fingerprint IN (SELECT unhex(value) FROM json_each(?))`),
    some: db.prepare(`SELECT id, ${COLUMNS} FROM answers WHERE id > ? ORDER BY id LIMIT ${SOME}`),
    add: db.prepare(`INSERT INTO answers ${VALUES} ON CONFLICT (fingerprint) DO NOTHING`),
    replace: db.prepare(`INSERT OR REPLACE INTO answers ${VALUES}`),
    prune: db.prepare(`DELETE FROM answers WHERE at < @before
      AND (@subject IS NULL OR run IN (SELECT id FROM runs WHERE subject = @subject))
      AND fingerprint NOT IN (SELECT fingerprint FROM cells WHERE fingerprint IS NOT NULL)`),
  };
  const answers: AnswerStore = {
    async find(fingerprints) {
      const rows = sql.find.all(JSON.stringify(fingerprints)) as AnswerRow[];
      const found = new Map(rows.map((row) => [row.fingerprint.toString("hex"), row]));
      return fingerprints.map((fingerprint) => {
        const row = found.get(fingerprint);
        return row && answerRecord(row);
      });
    },
    async *all() {
      settle();
      for (const rows of pages<AnswerRow & { id: number }>((last) => sql.some.all(last?.id ?? 0) as (AnswerRow & { id: number })[]))
        yield rows.map((row) => answerRecord(row));
    },
    async prune({ before, subject }) {
      settle();
      return sql.prune.run({ before, subject: subject ?? null }).changes;
    },
  };
  return { answers, put: (record: AnswerRecord, replace: boolean): void => putAnswer(replace ? sql.replace : sql.add, record) };
}
