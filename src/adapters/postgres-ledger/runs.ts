import type { RunStore, VersionRecord, VersionStore } from "../../core/index.js";
import type { Access } from "./access.js";
import { RUN, runOf, VERSION, versionOf } from "./records.js";
import { lockFor, type Statements } from "./store.js";
import { storedText } from "./texts.js";

export const runStore = ({ s, read, write, settle }: Access): RunStore => ({
  start: (run) =>
    write(async (sql) => {
      await sql.run(`INSERT INTO ${s}.runs_of (id, kind, subject, started) VALUES ($1, $2, $3, $4) ON CONFLICT (id) DO NOTHING`, [
        run.id,
        run.kind,
        run.subject,
        run.startedAt,
      ]);
      if (run.kind === "fill") await forgetReplaced(sql, s, run.subject);
    }),
  end: ({ id, endedAt, end, tally }) =>
    write((sql) =>
      sql.run(`UPDATE ${s}.runs_of SET ended = $2, outcome = $3, tally = $4 WHERE id = $1`, [id, endedAt, end, JSON.stringify(tally)]),
    ),
  find: async (kind, subject, limit) =>
    (
      await read(`SELECT ${RUN} FROM ${s}.runs WHERE kind = $1 AND subject = $2 ORDER BY started DESC LIMIT $3`, [kind, subject, limit])
    ).map(runOf),
  async recent({ limit, before, kind, subject }) {
    await settle();
    const rows = await read(
      `SELECT ${RUN} FROM ${s}.runs WHERE ($2::bigint IS NULL OR started < $2) AND ($3::text IS NULL OR kind = $3)
    AND ($4::text IS NULL OR subject = $4) ORDER BY started DESC LIMIT $1`,
      [limit, before ?? null, kind ?? null, subject ?? null],
    );
    return rows.map(runOf);
  },
});

export const versionStore = ({ s, read, write }: Access): VersionStore => ({
  async of(template, { hash, text, at }) {
    const find = async (): Promise<VersionRecord | undefined> =>
      (await read(`SELECT ${VERSION} FROM ${s}.versions WHERE template = $1 AND hash = $2`, [template, hash])).map(versionOf)[0];
    const known = await find();
    if (known) return known;
    await write(async (sql) => {
      await lockFor(sql, s, `version ${template}`);
      await sql.run(
        `INSERT INTO ${s}.versions (template, version, hash, text, at)
      SELECT $1, 1 + coalesce(max(version), 0), $2, $3, $4 FROM ${s}.versions WHERE template = $1 ON CONFLICT DO NOTHING`,
        [template, hash, storedText(text), at],
      );
    });
    return (await find())!;
  },
  all: async (template) =>
    (await read(`SELECT ${VERSION} FROM ${s}.versions WHERE template = $1 ORDER BY version`, [template])).map(versionOf),
});

/** Lets go of what neither one of a plan's last ten fills that changed something has replaced, nor one of them has made. */
async function forgetReplaced(sql: Statements, s: string, plan: string): Promise<void> {
  await sql.run(
    `WITH kept AS (SELECT id FROM ${s}.runs WHERE kind = 'fill' AND subject = $1 AND (ended IS NULL OR cells > 0) ORDER BY started DESC LIMIT 10)
    DELETE FROM ${s}.replaced WHERE place IN (SELECT id FROM ${s}.places WHERE plan = $1)
      AND by_run NOT IN (SELECT id FROM kept) AND split_part(by_run, ':', 2) NOT IN (SELECT id FROM kept) AND run NOT IN (SELECT id FROM kept)`,
    [plan],
  );
}
