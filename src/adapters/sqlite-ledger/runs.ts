import type { RunStore, VersionRecord, VersionStore } from "../../core/index.js";
import type { Access } from "./access.js";
import { runRecord, type RunRow } from "./rows.js";

/**
 * The runs, and the way to count their cells among what is written.
 *
 * @param onFill told of a plan of which a fill begins.
 */
export function runStore({ db, write, settle }: Access, onFill: (plan: string) => void) {
  const columns = "id, kind, subject, started, ended, outcome, tally, cells";
  const sql = {
    start: db.prepare("INSERT INTO runs (id, kind, subject, started) VALUES (?, ?, ?, ?)"),
    end: db.prepare("UPDATE runs SET ended = ?, outcome = ?, tally = ?, cells = ? WHERE id = ?"),
    find: db.prepare(`SELECT ${columns} FROM runs WHERE kind = ? AND subject = ? ORDER BY started DESC LIMIT ?`),
    recent: db.prepare(`SELECT ${columns} FROM runs
      WHERE (@before IS NULL OR started < @before) AND (@kind IS NULL OR kind = @kind) AND (@subject IS NULL OR subject = @subject)
      ORDER BY started DESC LIMIT @limit`),
    countCell: db.prepare("UPDATE runs SET cells = cells + 1 WHERE id = ? AND cells IS NOT NULL"),
  };
  /** Runs that go on here, with how many cells they have recorded. */
  const recorded = new Map<string, number>();
  const runs: RunStore = {
    start: (run) =>
      write(() => {
        sql.start.run(run.id, run.kind, run.subject, run.startedAt);
        recorded.set(run.id, 0);
        if (run.kind === "fill") onFill(run.subject);
      }),
    end: (run) =>
      write(() => {
        sql.end.run(run.endedAt, run.end, JSON.stringify(run.tally), recorded.get(run.id) ?? 0, run.id);
        recorded.delete(run.id);
      }),
    find: async (kind, subject, limit) => (sql.find.all(kind, subject, limit) as RunRow[]).map(runRecord),
    async recent({ limit, before, kind, subject }) {
      settle();
      return (sql.recent.all({ limit, before: before ?? null, kind: kind ?? null, subject: subject ?? null }) as RunRow[]).map(runRecord);
    },
  };
  return {
    runs,
    countCell(run: string): void {
      const cells = recorded.get(run);
      if (cells === undefined) sql.countCell.run(run);
      else recorded.set(run, cells + 1);
    },
  };
}

export function versionStore({ db, write }: Access): VersionStore {
  const columns = "template, version, hash, text, at";
  const sql = {
    find: db.prepare(`SELECT ${columns} FROM versions WHERE template = ? AND hash = ?`),
    add: db.prepare(`INSERT INTO versions (${columns})
      SELECT @template, 1 + coalesce(max(version), 0), @hash, @text, @at FROM versions WHERE template = @template ON CONFLICT DO NOTHING`),
    all: db.prepare(`SELECT ${columns} FROM versions WHERE template = ? ORDER BY version`),
  };
  return {
    async of(template, { hash, text, at }) {
      const find = (): VersionRecord | undefined => sql.find.get(template, hash) as VersionRecord | undefined;
      const found = find();
      if (found) return found;
      await write(() => sql.add.run({ template, hash, text, at }));
      return find()!;
    },
    all: async (template) => sql.all.all(template) as VersionRecord[],
  };
}
