import type Database from "better-sqlite3";
import { openSqlite } from "./open-sqlite.js";

/** A row as the store keeps it. */
export interface StoredRow {
  readonly id: string;
  readonly key: string;
  readonly values: Readonly<Record<string, string>>;
  readonly sources?: Readonly<Record<string, string>> | undefined;
}

type Side = "before" | "now";

/**
 * Rows of a source as it was and as it is, in a temporary database on the disk that is gone when it is closed: memory
 * does not depend on how many they are.
 */
export class RowStore {
  readonly #db = openSqlite("");
  readonly #put: Readonly<Record<Side, Database.Transaction<(rows: readonly StoredRow[]) => void>>>;

  constructor() {
    this.#db.exec(
      "CREATE TABLE before (id TEXT PRIMARY KEY, content TEXT NOT NULL) WITHOUT ROWID; CREATE TABLE now (n INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE, key TEXT NOT NULL, content TEXT NOT NULL, sources TEXT, seen INTEGER NOT NULL DEFAULT 0)",
    );
    const before = this.#db.prepare("INSERT OR IGNORE INTO before (id, content) VALUES (?, ?)");
    const now = this.#db.prepare("INSERT OR IGNORE INTO now (id, key, content, sources) VALUES (?, ?, ?, ?)");
    this.#put = {
      before: this.#db.transaction((rows) => {
        for (const { id, values } of rows) before.run(id, JSON.stringify(values));
      }),
      now: this.#db.transaction((rows) => {
        for (const { id, key, values, sources } of rows) now.run(id, key, JSON.stringify(values), sources ? JSON.stringify(sources) : null);
      }),
    };
  }

  put(side: Side, rows: readonly StoredRow[]): void {
    this.#put[side](rows);
  }

  /** What is known of rows, in the order of their ids; those that are found count as seen. */
  find(
    ids: readonly string[],
  ): { readonly before?: StoredRow["values"] | undefined; readonly now?: Omit<StoredRow, "id" | "key"> | undefined }[] {
    const list = JSON.stringify(ids);
    const before = new Map(
      (
        this.#db.prepare("SELECT id, content FROM before WHERE id IN (SELECT value FROM json_each(?))").all(list) as {
          id: string;
          content: string;
        }[]
      ).map((row) => [row.id, JSON.parse(row.content) as StoredRow["values"]]),
    );
    const now = new Map(
      (
        this.#db
          .prepare("UPDATE now SET seen = 1 WHERE id IN (SELECT value FROM json_each(?)) RETURNING id, content, sources")
          .all(list) as { id: string; content: string; sources: string | null }[]
      ).map((row) => [
        row.id,
        {
          values: JSON.parse(row.content) as StoredRow["values"],
          sources: row.sources === null ? undefined : (JSON.parse(row.sources) as StoredRow["sources"]),
        },
      ]),
    );
    return ids.map((id) => ({ before: before.get(id), now: now.get(id) }));
  }

  /** Forgets which rows were seen. */
  begin(): void {
    this.#db.exec("UPDATE now SET seen = 0");
  }

  /** Rows that are new, in order: not seen, and not there before. */
  *added(most: number): Generator<readonly StoredRow[]> {
    const some = this.#db.prepare(
      "SELECT n, id, key, content, sources FROM now WHERE n > ? AND seen = 0 AND id NOT IN (SELECT id FROM before) ORDER BY n LIMIT ?",
    );
    for (let after = 0; ;) {
      const rows = some.all(after, most) as { n: number; id: string; key: string; content: string; sources: string | null }[];
      if (rows.length === 0) return;
      yield rows.map(({ id, key, content, sources }) => ({
        id,
        key,
        values: JSON.parse(content) as StoredRow["values"],
        sources: sources === null ? undefined : (JSON.parse(sources) as StoredRow["sources"]),
      }));
      after = rows.at(-1)!.n;
    }
  }

  /** Keys of rows that were there before, and that somebody took out of the result: the first few, and how many. */
  leftOut(few: number): { readonly rows: number; readonly keys: readonly string[] } {
    const where = "FROM now WHERE seen = 0 AND id IN (SELECT id FROM before)";
    const { rows } = this.#db.prepare(`SELECT count(*) AS rows ${where}`).get() as { rows: number };
    return { rows, keys: (this.#db.prepare(`SELECT key ${where} ORDER BY n LIMIT ?`).all(few) as { key: string }[]).map(({ key }) => key) };
  }

  close(): void {
    this.#db.close();
  }
}
