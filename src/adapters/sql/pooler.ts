import type { Client, ClientBase } from "pg";
import { YoroshiError } from "../../core/index.js";

/** What a connection of ours is set to, so that values come as they are written, in the project's time zone. */
const SETTINGS = "set_config('timezone', $1, false), set_config('datestyle', 'ISO', false), set_config('intervalstyle', 'iso_8601', false)";

/**
 * Sets a new connection up. Between us and the database a pooler may stand; one that gives each transaction another of its connections
 * loses settings and notices, so that values would come out in another zone, and changes would go unheard.
 *
 * @param another makes a second connection to the same address.
 * @throws YoroshiError `databaseUnusable` where such a pooler is found.
 */
export async function setUp(client: ClientBase, name: string, timeZone: string, another: () => Client): Promise<void> {
  const { rows } = await client.query<{ pid: string }>(`SELECT pg_backend_pid() AS pid, ${SETTINGS}`, [timeZone]);
  // A pooler names its own number when the connection is made.
  if (Number(rows[0]!.pid) === processOf(client) || (await isSteady(client, another()))) return;
  throw new YoroshiError("databaseUnusable", {
    database: name,
    problem:
      "its address is that of a connection pooler that gives each transaction another connection, so that settings and notices are lost. Give the database's own address, or one that is pooled by session",
  });
}

/** The number that the other side gave when the connection was made; the library's types leave it out. */
const processOf = (client: ClientBase): number => (client as ClientBase & { readonly processID: number }).processID;

/** Whether a connection stays the same while another one is in a transaction. */
async function isSteady(client: ClientBase, other: Client): Promise<boolean> {
  const pid = async (of: ClientBase): Promise<string> => (await of.query<{ pid: string }>("SELECT pg_backend_pid() AS pid")).rows[0]!.pid;
  other.on("error", () => undefined); // told by the query that is under way
  await other.connect();
  try {
    const before = await pid(client);
    await other.query("BEGIN");
    const theirs = await pid(other);
    // Where a pooler has one connection only, this waits until the other is done.
    const after = await Promise.race([pid(client), new Promise<string>((resolve) => setTimeout(resolve, WAIT_MS, "none"))]);
    return before === after && theirs !== before;
  } finally {
    await other.end();
  }
}

const WAIT_MS = 2_000;
