import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { postgresCarrier, postgresLedger, type LedgerDatabase } from "../adapters/postgres-ledger/index.js";
import type { Database } from "../adapters/sql/index.js";
import { sqliteCarrier, sqliteLedger } from "../adapters/sqlite-ledger/index.js";
import { bullmqQueue } from "../adapters/bullmq-queue/index.js";
import { YoroshiError, type Clock, type Ledger, type LedgerCarrier, type WorkQueue } from "../core/index.js";
import type { Databases } from "./databases.js";
import { insideProject } from "./files.js";
import type { ProjectFile } from "./project-file.js";

/** Of a project, what its ledger needs. */
export interface LedgerPlace {
  readonly root: string;
  readonly settings: ProjectFile;
  readonly clock: Clock;
  readonly onNotice: (text: string) => void;
  /** The names of its plans. */
  plans(): Promise<readonly string[]>;
}

export const LEDGER_FILE = path.join(".yoroshi", "ledger.sqlite");
/** By which a project knows its ledger in a database again. */
const ID_FILE = path.join(".yoroshi", "ledger-id");

/** What messages call a project's ledger. */
export const ledgerName = ({ ledger }: Pick<ProjectFile, "ledger">): string =>
  ledger ? `${ledger.schema} in the database ${ledger.database}` : LEDGER_FILE.split(path.sep).join("/");

/** Whether a project may have a ledger: looking makes none. */
export const mayHaveLedger = (root: string, { ledger }: Pick<ProjectFile, "ledger">): boolean =>
  ledger !== undefined || existsSync(path.join(root, LEDGER_FILE));

/** A project's ledger: a file of its own, or a schema of the database that `yoroshi.yaml` names. */
export function openLedger(place: LedgerPlace, databases: Databases): Ledger {
  const { ledger } = place.settings;
  return ledger === undefined ? fileLedger(place.root) : databaseLedger(place, databases, ledger);
}

/** Connections of the ledger's own: what fills a table must not wait for what records an answer, nor the other way round. */
function databaseApart(databases: Databases, name: string): LedgerDatabase {
  let opened: Promise<Database> | undefined;
  return {
    name,
    patiently: async (work) => {
      // Loaded when first needed: most projects have no database.
      const { plainSql } = await import("../adapters/sql/index.js");
      return plainSql(await (opened ??= databases.apart(name))).patiently(work);
    },
    close: async () => (await opened)?.close(),
  };
}

/** The ledger of a project in a place that yoroshi.yaml may name, to be carried. */
export const ledgerCarrier = (root: string, databases: Databases, ledger: ProjectFile["ledger"]): LedgerCarrier =>
  ledger === undefined
    ? sqliteCarrier(insideProject(root, LEDGER_FILE), ledgerName({ ledger }))
    : postgresCarrier(databaseApart(databases, ledger.database), ledger.schema);

/** The queue of spread fills, in a schema beside the ledger's. */
export function openQueue(settings: ProjectFile, databases: Databases, onNotice: (text: string) => void): WorkQueue {
  const { ledger } = settings;
  if (!ledger) throw new YoroshiError("misuse", { problem: "Fills are spread where the ledger is in a database." });
  return bullmqQueue({ name: ledger.database, url: databases.address(ledger.database), schema: `${ledger.schema}_queue`, onNotice });
}

export const fileLedger = (root: string): Ledger => sqliteLedger(insideProject(root, LEDGER_FILE));

export function databaseLedger(
  { root, clock, onNotice, plans }: LedgerPlace,
  databases: Databases,
  { database: name, schema }: { readonly database: string; readonly schema: string },
): Ledger {
  const idFile = path.join(root, ID_FILE);
  return postgresLedger(databaseApart(databases, name), {
    schema,
    clock,
    onNotice,
    owner: {
      id: existsSync(idFile) ? readFileSync(idFile, "utf8").trim() : undefined,
      plans,
      keep: (id) => {
        mkdirSync(path.dirname(idFile), { recursive: true });
        writeFileSync(idFile, `${id}\n`);
      },
    },
  });
}
