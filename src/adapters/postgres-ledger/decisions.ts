import type { AfterStore, CheckRecord, DecisionStore } from "../../core/index.js";
import { paged, SOME, type Access } from "./access.js";
import { AFTER, afterOf, decisionOf, noticeOf, numberOf } from "./records.js";
import { keyOf, storedKey } from "./texts.js";

export const decisionStore = ({ s, read, write, settle, placeOf }: Access): DecisionStore => ({
  all: (plan) =>
    paged(
      { settle },
      (last) =>
        read(
          `SELECT id, undone, decision FROM ${s}.decisions WHERE place IN (SELECT id FROM ${s}.places WHERE plan = $1) AND id > $2 ORDER BY id LIMIT ${SOME}`,
          [plan, last?.["id"] ?? 0],
        ),
      decisionOf,
    ),
  async of(plan, step, key) {
    await settle();
    const place = await placeOf(plan, step);
    if (place === undefined) return [];
    const rows = await read(`SELECT undone, decision FROM ${s}.decisions WHERE place = $1 AND key = $2 ORDER BY id`, [
      place,
      storedKey(key),
    ]);
    return rows.map(decisionOf);
  },
  async act(act) {
    await settle();
    return (await read(`SELECT undone, decision FROM ${s}.decisions WHERE act = $1 ORDER BY id`, [act])).map(decisionOf);
  },
  addCheck: (check) =>
    write((sql) =>
      sql.run(`INSERT INTO ${s}.checks (id, plan, at, drawn) VALUES ($1, $2, $3, $4)`, [
        check.id,
        check.plan,
        check.at,
        JSON.stringify(check),
      ]),
    ),
  async checks(plan) {
    await settle();
    const rows = await read(`SELECT drawn FROM ${s}.checks WHERE plan = $1 ORDER BY at DESC, n DESC`, [plan]);
    return rows.map((row) => JSON.parse(row["drawn"]!) as CheckRecord);
  },
});

export const afterwardsStore = ({ s, read, settle }: Access): AfterStore => ({
  async find(plan, keys) {
    if (keys.length === 0) return new Map();
    const rows = await read(`SELECT ${AFTER} FROM ${s}.afterwards WHERE plan = $1 AND key = ANY($2::text[])`, [plan, keys.map(storedKey)]);
    return new Map(rows.map((row) => [keyOf(row["key"]!), afterOf(row)]));
  },
  all: (plan) =>
    paged(
      { settle },
      (last) =>
        read(`SELECT ${AFTER} FROM ${s}.afterwards WHERE plan = $1 AND ($2::text IS NULL OR key > $2) ORDER BY key LIMIT ${SOME}`, [
          plan,
          last?.["key"] ?? null,
        ]),
      afterOf,
    ),
  async mark(plan) {
    await settle();
    return String(numberOf(await read(`SELECT coalesce(max(id), 0) AS n FROM ${s}.afterwards WHERE plan = $1`, [plan])));
  },
  async waiting(plan, limit) {
    await settle();
    return (await read(`SELECT plan, notice FROM ${s}.notices WHERE plan = $1 AND waits ORDER BY n LIMIT $2`, [plan, limit])).map(noticeOf);
  },
  async notices(plan, limit) {
    await settle();
    return (await read(`SELECT plan, notice FROM ${s}.notices WHERE plan = $1 ORDER BY n DESC LIMIT $2`, [plan, limit])).map(noticeOf);
  },
  async count(plan) {
    await settle();
    const [row] = await read(
      `SELECT count(*) FILTER (WHERE waits) AS waiting, count(*) FILTER (WHERE NOT waits) AS sent FROM ${s}.notices WHERE plan = $1`,
      [plan],
    );
    return { waiting: Number(row!["waiting"]), sent: Number(row!["sent"]) };
  },
});
