import { createHash } from "node:crypto";
import { existsSync, renameSync } from "node:fs";
import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { CARRIED, YoroshiError, type CarriedTable, type LedgerCarrier } from "../core/index.js";
import { LEDGER_FILE, PROJECT_FILE, type Project } from "../project/index.js";
import { withTopValue } from "./edit-yaml.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

const TABLES = Object.keys(CARRIED) as CarriedTable[];
const TO_FILE = "file";

/** Carries the ledger from its file into a database, or back, and has yoroshi.yaml say so. */
export const moveLedger = defineJob({
  name: "moveLedger",
  summary: "Carries the ledger from its file into a PostgreSQL database, or back, checks every row, and changes yoroshi.yaml.",
  input: z.strictObject({
    /** A database of yoroshi.yaml, or `file`. */
    to: z.string().min(1),
    /** The schema in the database. Default `yoroshi`. */
    schema: z.string().min(1).optional(),
  }),
  report: z.object({
    from: z.string(),
    to: z.string(),
    rows: z.record(z.string(), count),
    /** Where the ledger as it was can still be found. */
    kept: z.string(),
  }),
  event: z.object({ table: z.string(), rows: count }),
  async run(project, { to, schema }, { on, signal }) {
    const target = to === TO_FILE ? undefined : { database: to, schema: schema ?? "yoroshi" };
    const now = project.settings.ledger;
    if (target?.database === now?.database && target?.schema === now?.schema)
      throw new YoroshiError("badOption", { option: "--to", problem: "the ledger is there already." });
    if (target && !project.settings.databases[target.database]) await project.database(target.database); // tells which there are
    const [from, into] = [project.ledgerCarrier(now), project.ledgerCarrier(target)];
    try {
      await requireQuiet(from);
      await requireRoom(into);
      const rows = await carry(from, into, (table, carried) => on?.({ table, rows: carried }), signal);
      await requireQuiet(from);
      await into.finish();
      return { from: from.name, to: into.name, rows, kept: await changeOver(project, target, from, () => from.close()) };
    } finally {
      await from.close();
      await into.close();
    }
  },
});

async function requireQuiet(ledger: LedgerCarrier): Promise<void> {
  const held = await ledger.held();
  if (held.length > 0)
    throw new YoroshiError("badOption", {
      option: "ledger move",
      problem: `somebody is at work with ${ledger.name} (${held.slice(0, 3).join(", ")}). Wait for it to end, or end it, and try again; nothing was changed.`,
    });
}

async function requireRoom(ledger: LedgerCarrier): Promise<void> {
  if ((await ledger.state()) === "kept")
    throw new YoroshiError("badOption", {
      option: "--to",
      problem: `${ledger.name} holds a ledger already. Move it away, or drop its schema, where it is not wanted any more.`,
    });
}

/** Carries every row, and reads it back. @throws YoroshiError `ledgerBroken` where one is not as it was. */
async function carry(
  from: LedgerCarrier,
  into: LedgerCarrier,
  tell: (table: string, rows: number) => void,
  signal: AbortSignal | undefined,
): Promise<Record<string, number>> {
  await into.begin();
  const carried: Record<string, number> = {};
  for (const table of TABLES) {
    const sent = new RowSum();
    for await (const rows of from.rows(table)) {
      signal?.throwIfAborted();
      await into.put(table, rows);
      for (const row of rows) sent.add(row);
      tell(table, sent.rows);
    }
    const found = new RowSum();
    for await (const rows of into.rows(table)) for (const row of rows) found.add(row);
    if (found.rows !== sent.rows || found.sum !== sent.sum)
      throw new YoroshiError("ledgerBroken", {
        file: into.name,
        problem: `what was carried into its table ${table} is not what came (${found.rows} rows of ${sent.rows}). The ledger ${from.name} stands as it was`,
      });
    carried[table] = sent.rows;
  }
  return carried;
}

/** A sum over rows in whatever order: two stores order some texts differently. */
class RowSum {
  rows = 0;
  sum = 0n;
  add(row: readonly (string | number | null)[]): void {
    this.rows++;
    this.sum += BigInt(`0x${createHash("sha256").update(JSON.stringify(row)).digest("hex")}`);
  }
}

/** From here on the project's ledger is the other one. */
async function changeOver(
  project: Project,
  target: { readonly database: string; readonly schema: string } | undefined,
  from: LedgerCarrier,
  close: () => Promise<void>,
): Promise<string> {
  const file = path.join(project.root, PROJECT_FILE);
  const text = await readFile(file, "utf8");
  await writeFile(file, withTopValue(text, "ledger", target));
  if (project.settings.ledger) return from.name;
  await close();
  const own = path.join(project.root, LEDGER_FILE);
  let moved = `${own}.moved`;
  for (let n = 2; existsSync(moved); n++) moved = `${own}.moved-${n}`;
  if (existsSync(own)) renameSync(own, moved);
  return path.relative(project.root, moved);
}
