import { spawn, spawnSync, type ChildProcess } from "node:child_process";
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createServer, type AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openDatabase, plainSql } from "../../src/adapters/sql/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";

const BOUNCER = ["/usr/sbin/pgbouncer", "/usr/bin/pgbouncer"].find((file) => spawnSync(file, ["--version"]).status === 0);
if (!BOUNCER) console.warn("NOT TESTED: connection poolers, for there is no pgbouncer on this machine");
const NOBODY = 65_534;

let base: TestDatabase;
const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-pool-"));
const poolers: ChildProcess[] = [];
beforeAll(async () => {
  base = await postgresDatabase();
});
afterAll(async () => {
  for (const pooler of poolers) pooler.kill("SIGKILL");
  await base.close();
  rmSync(folder, { recursive: true, force: true });
});

async function freePort(): Promise<number> {
  const server = createServer().listen(0, "127.0.0.1");
  await new Promise((resolve) => server.once("listening", resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/** The address of the test's database through PgBouncer. */
async function pooled(mode: "transaction" | "session", connections: number): Promise<string> {
  const own = new URL((base.place as { url: string }).url);
  const port = await freePort();
  const [users, settings] = [path.join(folder, `users${port}`), path.join(folder, `${port}.ini`)];
  writeFileSync(users, `"${own.username}" "${own.password}"\n`);
  writeFileSync(
    settings,
    `[databases]\n* = host=127.0.0.1 port=${own.port || 5432}\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = ${port}\nunix_socket_dir =\nauth_type = trust\nauth_file = ${users}\npool_mode = ${mode}\ndefault_pool_size = ${connections}\n`,
  );
  chmodSync(folder, 0o755);
  const pooler = spawn(BOUNCER!, [settings], { stdio: "ignore", ...(process.getuid?.() === 0 ? { uid: NOBODY, gid: NOBODY } : {}) });
  poolers.push(pooler);
  const url = new URL(own);
  url.port = String(port);
  return url.href;
}

/** What a database says through a pooler, which takes a moment to be there. */
async function asked(url: string): Promise<readonly unknown[]> {
  for (let tries = 0; ; tries++) {
    const database = plainSql(await openDatabase({ name: "main", url, timeZone: "Pacific/Auckland", clock: systemClock() }));
    try {
      return await database.patiently((sql) => sql.all("SELECT current_setting('timezone') AS zone, '2026-01-02 03:04'::timestamp AS at"));
    } catch (error) {
      if (!/nothing answers/.test((error as Error).message) || tries > 100) throw error;
      await new Promise((resolve) => setTimeout(resolve, 50));
    } finally {
      await database.close();
    }
  }
}

describe.skipIf(!BOUNCER)("a pooler between us and PostgreSQL", () => {
  it("is fine where a session keeps its connection", async () => {
    expect(await asked(await pooled("session", 8))).toEqual([{ zone: "Pacific/Auckland", at: "2026-01-02 03:04:00" }]);
  });

  it.each([1, 3])("is refused in words where each transaction may have another of %i", async (connections) => {
    await expect(asked(await pooled("transaction", connections))).rejects.toThrow(
      /database main cannot be used: its address is that of a connection pooler[\s\S]*pooled by session/,
    );
  });
});
