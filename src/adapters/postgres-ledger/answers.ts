import type { AnswerStore } from "../../core/index.js";
import { paged, SOME, type Access } from "./access.js";
import { ANSWER, answerOf } from "./records.js";

export const answerStore = ({ s, read, settle, opened }: Access): AnswerStore => ({
  async find(fingerprints) {
    if (fingerprints.length === 0) return [];
    const rows = await read(`SELECT ${ANSWER} FROM ${s}.answers WHERE fingerprint = ANY($1::bytea[])`, [
      fingerprints.map((fingerprint) => Buffer.from(fingerprint, "hex")),
    ]);
    const found = new Map(rows.map((row) => [row["fingerprint"]!, row]));
    return fingerprints.map((fingerprint) => {
      const row = found.get(fingerprint);
      return row && answerOf(row);
    });
  },
  all: () =>
    paged(
      { settle },
      (last) => read(`SELECT id, ${ANSWER} FROM ${s}.answers WHERE id > $1 ORDER BY id LIMIT ${SOME}`, [last?.["id"] ?? 0]),
      answerOf,
    ),
  async prune({ before, subject }) {
    await settle();
    const { store } = await opened();
    return store.transaction((sql) =>
      sql.run(
        `DELETE FROM ${s}.answers a WHERE at < $1 AND ($2::text IS NULL OR run IN (SELECT id FROM ${s}.runs WHERE subject = $2))
      AND NOT EXISTS (SELECT FROM ${s}.cells c WHERE c.fingerprint = a.fingerprint)`,
        [before, subject ?? null],
      ),
    );
  },
});
