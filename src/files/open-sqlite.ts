import { createRequire } from "node:module";
import type Sqlite from "better-sqlite3";
import { YoroshiError } from "../core/index.js";

const load = createRequire(import.meta.url);
let library: typeof Sqlite | undefined;

/**
 * Opens a SQLite file, or one in memory (`""`). The library is native code, so it is loaded when it is used: who only asks and
 * fills in memory need not have it.
 *
 * @throws YoroshiError `packageUnusable` where it is not installed, or was built for another Node.
 */
export function openSqlite(file: string, options: Sqlite.Options = {}): Sqlite.Database {
  library ??= loadSqlite();
  return new library(file, options);
}

function loadSqlite(): typeof Sqlite {
  try {
    const found = load("better-sqlite3") as typeof Sqlite;
    // Its native part is loaded with the first database.
    new found("").close();
    return found;
  } catch (error) {
    const isMissing = (error as { code?: unknown }).code === "MODULE_NOT_FOUND";
    const remedy = isMissing
      ? "it is not installed. Install it beside yoroshi: npm install better-sqlite3"
      : "it was built for another version of Node. Build it anew: npm rebuild better-sqlite3";
    throw new YoroshiError("packageUnusable", { name: "better-sqlite3", problem: remedy }, { cause: error });
  }
}
