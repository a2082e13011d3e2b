import {
  addCharge,
  answerRow,
  CELL_COLUMNS,
  cellRow,
  runHolder,
  type AfterRecord,
  type AnswerRecord,
  type CellRecord,
  type CellRow,
  type Charge,
  type Entry,
  type NoticeRecord,
} from "../../core/index.js";
import type { Statements } from "./store.js";
import { storedKey, storedText } from "./texts.js";

const bytes = (fingerprint: string): Buffer => Buffer.from(fingerprint, "hex");
const UPDATED = `${CELL_COLUMNS}, alike`
  .split(", ")
  .filter((column) => column !== "key")
  .map((column) => `${column} = excluded.${column}`)
  .join(", ");

/**
 * Writes what several entries record, some thousand at once, each table's rows in the order of their keys, so that two processes that write
 * the same rows wait for each other and never in a circle.
 */
export async function putEntries(
  sql: Statements,
  schema: string,
  entries: readonly Entry[],
  /** Sums that several processes add to are kept by this number. */
  writer: number,
  placeOf: (sql: Statements, plan: string, step: string) => Promise<number>,
): Promise<void> {
  const lost = await putAnswers(sql, schema, entries);
  for (const round of roundsOf(entries, lost)) await putCells(sql, schema, round, writer, placeOf);
  for (const { decisions = [] } of entries)
    for (const decision of decisions)
      await sql.run(`INSERT INTO ${schema}.decisions (act, place, key, decision) VALUES ($1, $2, $3, $4)`, [
        decision.act,
        await placeOf(sql, decision.plan, decision.step),
        storedKey(decision.key),
        JSON.stringify(decision),
      ]);
  await putAfterwards(
    sql,
    schema,
    entries.flatMap(({ afterwards = [] }) => afterwards),
  );
  await putNotices(
    sql,
    schema,
    entries.flatMap(({ notices = [] }) => notices),
  );
  for (const { undone } of entries)
    if (undone)
      await sql.run(`UPDATE ${schema}.decisions SET undone = $1 WHERE act = $2 AND undone IS NULL`, [
        JSON.stringify({ by: undone.by, at: undone.at }),
        undone.act,
      ]);
  await putCharges(sql, schema, entries, writer);
  await letGo(
    sql,
    schema,
    entries.flatMap(({ holder, release = [] }) => (holder === undefined ? [] : release.map((name) => ({ holder, name })))),
  );
}

/**
 * @returns answers that came too late: others stand in their place, so that cells with these values would not be right. Whoever looks at
 * such a row next finds the answer that stands.
 */
async function putAnswers(sql: Statements, schema: string, entries: readonly Entry[]): Promise<ReadonlySet<AnswerRecord>> {
  const lost = new Set<AnswerRecord>();
  const firsts = new Map<string, AnswerRecord>();
  const replacing = new Map<string, AnswerRecord>();
  for (const { answers = [], replace = false } of entries) {
    for (const record of answers) {
      if (replace) replacing.set(record.fingerprint, record);
      else if (firsts.has(record.fingerprint)) lost.add(record);
      else firsts.set(record.fingerprint, record);
    }
  }
  const put = async (records: ReadonlyMap<string, AnswerRecord>, conflict: string): Promise<ReadonlySet<string>> => {
    if (records.size === 0) return new Set();
    const rows = [...records.values()]
      .sort((a, b) => (a.fingerprint < b.fingerprint ? -1 : 1))
      .map((record) => ({ ...answerRow(record), spent: record.answer.spent }));
    const kept = await sql.all(
      `INSERT INTO ${schema}.answers (fingerprint, template, version, model, run, at, spent, basis, answer)
      SELECT * FROM unnest($1::bytea[], $2::text[], $3::int[], $4::text[], $5::text[], $6::bigint[], $7::bigint[], $8::text[], $9::text[])
      ON CONFLICT (fingerprint) DO ${conflict} RETURNING encode(fingerprint, 'hex') AS fingerprint`,
      [
        rows.map((row) => bytes(row.fingerprint)),
        rows.map((row) => row.template),
        rows.map((row) => row.version),
        rows.map((row) => storedText(row.model)),
        rows.map((row) => row.run),
        rows.map((row) => row.at),
        rows.map((row) => row.spent),
        rows.map((row) => row.basis),
        rows.map((row) => row.answer),
      ],
    );
    return new Set(kept.map((row) => row["fingerprint"]!));
  };
  const kept = await put(firsts, "NOTHING");
  for (const [fingerprint, record] of firsts) if (!kept.has(fingerprint)) lost.add(record);
  const all = ["template", "version", "model", "run", "at", "spent", "basis", "answer"];
  await put(replacing, `UPDATE SET ${all.map((column) => `${column} = excluded.${column}`).join(", ")}`);
  return lost;
}

/** Cells in rounds: of one round each is another cell, and a cell that two runs record comes in two. */
function roundsOf(entries: readonly Entry[], lost: ReadonlySet<AnswerRecord>): Map<string, CellRecord>[] {
  const rounds: Map<string, CellRecord>[] = [];
  for (const { cells = [], answers = [] } of entries) {
    const late = new Set(answers.filter((one) => lost.has(one)).map(({ fingerprint }) => fingerprint));
    for (const record of cells) {
      if (record.fingerprint !== undefined && late.has(record.fingerprint)) continue;
      const id = JSON.stringify([record.plan, record.step, record.key]);
      const at = rounds.findLastIndex((round) => round.has(id));
      if (at >= 0 && rounds[at]!.get(id)!.run === record.run) rounds[at]!.set(id, record);
      else {
        while (rounds.length < at + 2) rounds.push(new Map());
        rounds[at + 1]!.set(id, record);
      }
    }
  }
  return rounds;
}

async function putCells(
  sql: Statements,
  schema: string,
  round: ReadonlyMap<string, CellRecord>,
  writer: number,
  placeOf: (sql: Statements, plan: string, step: string) => Promise<number>,
): Promise<void> {
  if (round.size === 0) return;
  const records = [...round.values()];
  const placed: { readonly record: CellRecord; readonly place: number; readonly row: CellRow }[] = [];
  for (const record of records) placed.push({ record, place: await placeOf(sql, record.plan, record.step), row: cellRow(record) });
  placed.sort((a, b) => a.place - b.place || (a.record.key < b.record.key ? -1 : 1));
  const places = placed.map(({ place }) => place);
  const keys = placed.map(({ record }) => storedKey(record.key));
  const column = (index: number): unknown[] => placed.map(({ row }) => row[index]);
  // What is recorded outside of runs has no name of its own: it is kept by the run whose cell it replaces, too.
  await sql.run(
    `INSERT INTO ${schema}.replaced (by_run, place, ${CELL_COLUMNS})
    SELECT CASE WHEN n.run IN ('status', 'derived', 'review') THEN n.run || ':' || c.run ELSE n.run END, c.place, ${CELL_COLUMNS.split(", ")
      .map((name) => `c.${name}`)
      .join(", ")}
    FROM unnest($1::int[], $2::text[], $3::text[]) AS n (place, key, run)
    -- One by one along the key: joined as a whole, all cells would be read through for a few.
    CROSS JOIN LATERAL (SELECT * FROM ${schema}.cells WHERE place = n.place AND key = n.key OFFSET 0) c
    WHERE c.run <> n.run ON CONFLICT DO NOTHING`,
    [places, keys, records.length === 0 ? [] : placed.map(({ record }) => record.run)],
  );
  await sql.run(
    `INSERT INTO ${schema}.cells (place, ${CELL_COLUMNS}, alike)
    SELECT * FROM unnest($1::int[], $2::text[], $3::text[], $4::text[], $5::bytea[], $6::text[], $7::text[], $8::text[], $9::text[], $10::text[],
      $11::bigint[], $12::text[], $13::text[], $14::int[], $15::text[], $16::text[], $17::text[])
    ON CONFLICT (place, key) DO UPDATE SET ${UPDATED}`,
    [
      places,
      keys,
      column(1),
      column(2),
      placed.map(({ row }) => (row[3] === null ? null : bytes(row[3]))),
      ...[4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14].map(column),
      placed.map(({ record }) => record.held?.like ?? null),
    ],
  );
  const counts = new Map<string, number>();
  for (const { run } of records) counts.set(run, (counts.get(run) ?? 0) + 1);
  const runs = [...counts].sort(([a], [b]) => (a < b ? -1 : 1));
  await sql.run(
    `INSERT INTO ${schema}.cells_of_runs AS c (run, writer, cells) SELECT n.run, $3, n.cells FROM unnest($1::text[], $2::bigint[]) AS n (run, cells)
    WHERE EXISTS (SELECT FROM ${schema}.runs_of WHERE id = n.run) ON CONFLICT (run, writer) DO UPDATE SET cells = c.cells + excluded.cells`,
    [runs.map(([run]) => run), runs.map(([, cells]) => cells), writer],
  );
}

/** Lets go of names, in the order in which others take them, so that nobody waits in a circle. */
export async function letGo(
  sql: Statements,
  schema: string,
  held: readonly { readonly holder: string; readonly name: string }[],
): Promise<void> {
  if (held.length === 0) return;
  await sql.run(
    `DELETE FROM ${schema}.leases WHERE name IN (
      SELECT l.name FROM ${schema}.leases l JOIN unnest($1::text[], $2::text[]) AS n (holder, name) ON l.name = n.name AND l.holder = n.holder
      ORDER BY l.name FOR UPDATE OF l)`,
    [held.map(({ holder }) => holder), held.map(({ name }) => name)],
  );
}

async function putAfterwards(sql: Statements, schema: string, records: readonly AfterRecord[]): Promise<void> {
  const last = new Map(records.map((record) => [JSON.stringify([record.plan, record.key]), record]));
  if (last.size === 0) return;
  const rows = [...last].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, record]) => record);
  await sql.run(
    `INSERT INTO ${schema}.afterwards (plan, key, rules, at, id)
    SELECT n.*, nextval('${schema}.afterwards_id') FROM unnest($1::text[], $2::text[], $3::text[], $4::bigint[]) AS n
    ON CONFLICT (plan, key) DO UPDATE SET rules = excluded.rules, at = excluded.at, id = excluded.id`,
    [
      rows.map(({ plan }) => plan),
      rows.map(({ key }) => storedKey(key)),
      rows.map(({ rules }) => JSON.stringify(rules)),
      rows.map(({ at }) => at),
    ],
  );
}

async function putNotices(sql: Statements, schema: string, records: readonly NoticeRecord[]): Promise<void> {
  const last = new Map(records.map((record) => [record.id, record]));
  if (last.size === 0) return;
  // In the order in which they came: the oldest is sent first.
  const rows = [...last.values()];
  await sql.run(
    `INSERT INTO ${schema}.notices (id, plan, waits, notice) SELECT * FROM unnest($1::text[], $2::text[], $3::boolean[], $4::text[])
    ON CONFLICT (id) DO UPDATE SET waits = excluded.waits, notice = excluded.notice`,
    [
      rows.map(({ id }) => id),
      rows.map(({ plan }) => plan),
      rows.map(({ state }) => state === "waiting"),
      rows.map((record) => JSON.stringify(record)),
    ],
  );
}

async function putCharges(sql: Statements, schema: string, entries: readonly Entry[], writer: number): Promise<void> {
  const sums = new Map<string, Charge>();
  const lowered = new Map<string, number>();
  for (const { charges = [], holder } of entries) {
    for (const charge of charges) {
      addCharge(sums, charge);
      for (const one of holder === undefined ? [] : [holder, runHolder(holder)])
        lowered.set(one, (lowered.get(one) ?? 0) + charge.spent + charge.unsure);
    }
  }
  if (sums.size > 0) {
    const rows = [...sums].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, charge]) => charge);
    const of = (name: keyof Charge): unknown[] => rows.map((row) => row[name]);
    await sql.run(
      `INSERT INTO ${schema}.charges_of AS c (run, step, model, day, requests, tokens_in, tokens_out, spent, unsure, writer)
      SELECT n.*, $10 FROM unnest($1::text[], $2::text[], $3::text[], $4::int[], $5::bigint[], $6::bigint[], $7::bigint[], $8::bigint[], $9::bigint[]) AS n
      ON CONFLICT (run, step, model, day, writer) DO UPDATE SET requests = c.requests + excluded.requests,
        tokens_in = c.tokens_in + excluded.tokens_in,
        tokens_out = c.tokens_out + excluded.tokens_out, spent = c.spent + excluded.spent, unsure = c.unsure + excluded.unsure`,
      [
        of("run"),
        of("step"),
        rows.map(({ model }) => storedText(model)),
        of("day"),
        of("requests"),
        of("tokensIn"),
        of("tokensOut"),
        of("spent"),
        of("unsure"),
        writer,
      ],
    );
  }
  for (const [holder, amount] of [...lowered].sort(([a], [b]) => (a < b ? -1 : 1)))
    await sql.run(`UPDATE ${schema}.reservations SET amount = greatest(0, amount - $1::bigint) WHERE holder = $2`, [amount, holder]);
}
