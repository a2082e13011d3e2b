import { chmodSync, closeSync, existsSync, mkdirSync, openSync } from "node:fs";
import path from "node:path";
import type Database from "better-sqlite3";
import { isYoroshiError, YoroshiError } from "../../core/index.js";
import { openSqlite } from "../../files/index.js";
import { MIGRATIONS } from "./migrations.js";

const CACHE_KIB = 4_000;
const OWNER_ONLY = 0o600;
/**
 * Of 4 KiB: the write-ahead log is written back to the file when it has so many. Answers lie in the order of their
 * fingerprints, that is at random, so that doing it seldom writes far fewer pages.
 */
const CHECKPOINT_PAGES = 4_000;
/** Opens the file, and raises an older format to today's. */
export function openLedgerFile(file: string): Database.Database {
  try {
    mkdirSync(path.dirname(file), { recursive: true });
    // For its owner only: what rows and models said stands in it. Its journal takes over the mode.
    if (file !== ":memory:") closeSync(openSync(file, "a", OWNER_ONLY));
    const db = openSqlite(file, { timeout: 10_000 });
    db.pragma("journal_mode = WAL");
    db.pragma("synchronous = NORMAL");
    db.pragma(`wal_autocheckpoint = ${CHECKPOINT_PAGES}`);
    // In KiB: the library's own default of 16 MB buys little here.
    db.pragma(`cache_size = -${CACHE_KIB}`);
    migrate(db, file);
    return db;
  } catch (error) {
    if (isYoroshiError(error)) throw error;
    const code = (error as { code?: string }).code ?? "";
    const problem =
      code.startsWith("SQLITE_NOTADB") || code.startsWith("SQLITE_CORRUPT")
        ? "it is damaged. Move it away to begin a new one; the filled table keeps its values"
        : code === ""
          ? (error as Error).message
          : code;
    throw new YoroshiError("ledgerBroken", { file, problem }, { cause: error });
  }
}

function migrate(db: Database.Database, file: string): void {
  const format = db.pragma("user_version", { simple: true }) as number;
  if (format > MIGRATIONS.length) throw new YoroshiError("ledgerNewer", { file, found: format, known: MIGRATIONS.length });
  if (format === MIGRATIONS.length) return;
  if (format > 0) keepCopy(db, file, format);
  // Immediate: two processes that open a new ledger together must not both migrate it.
  db.transaction(() => {
    const now = db.pragma("user_version", { simple: true }) as number;
    for (const step of MIGRATIONS.slice(now)) db.exec(step);
    db.pragma(`user_version = ${MIGRATIONS.length}`);
  }).immediate();
}

/** The ledger as it was, beside it, before its format is raised. */
function keepCopy(db: Database.Database, file: string, format: number): void {
  const copy = `${file}.format-${format}`;
  if (existsSync(copy)) return;
  db.prepare("VACUUM INTO ?").run(copy);
  chmodSync(copy, OWNER_ONLY);
}
