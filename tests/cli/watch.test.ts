import type { ChildProcess } from "node:child_process";
import { appendFileSync, copyFileSync, cpSync, existsSync, readFileSync, renameSync, truncateSync, writeFileSync } from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { parse } from "csv-parse/sync";
import { afterAll, afterEach, describe, expect, it } from "vitest";
import type { WatchEvent, WatchRound } from "../../src/jobs/index.js";
import { standinServer } from "../../src/services/standin-server/index.js";
import { notesCsv, removeTempFolders, run, smallProject, start, tempFolder } from "../helpers/cli.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";
import { closeServed, serve } from "../helpers/served.js";

const ends: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end();
  await closeServed();
});
afterAll(removeTempFolders);

const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));
const rowsOf = (folder: string, file: string): Record<string, string>[] =>
  existsSync(path.join(folder, file)) ? parse(readFileSync(path.join(folder, file), "utf8"), { columns: true }) : [];

interface Watcher {
  readonly child: ChildProcess;
  readonly rounds: WatchRound[];
  readonly notices: string[];
  state(): string | undefined;
  /** Ends it as Ctrl-C does. */
  stop(): Promise<void>;
}

/** `yoroshi watch --json` in a process of its own. */
function watchIn(folder: string): Watcher {
  const { child, done } = start(["watch", "log", "--json"], folder);
  const rounds: WatchRound[] = [];
  const notices: string[] = [];
  let state: string | undefined;
  let rest = "";
  child.stdout!.on("data", (piece: Buffer) => {
    const lines = (rest + piece.toString()).split("\n");
    rest = lines.pop()!;
    for (const line of lines) {
      const event = JSON.parse(line) as WatchEvent;
      if (event.type === "round") rounds.push(event.round);
      if (event.type === "notice") notices.push(event.text);
      if (event.type === "state") ({ state } = event.state);
    }
  });
  const stop = async (): Promise<void> => {
    if (child.exitCode !== null || child.signalCode !== null) return;
    child.kill("SIGCONT");
    child.kill("SIGINT");
    await done;
  };
  ends.push(stop);
  return { child, rounds, notices, state: () => state, stop };
}

async function until(what: string, is: () => boolean | Promise<boolean>, mostMs = 20_000): Promise<void> {
  for (const began = Date.now(); !(await is());) {
    if (Date.now() - began > mostMs) throw new Error(`not in ${mostMs / 1000} seconds: ${what}`);
    await sleep(20);
  }
}

/** Waits until no round has come for two seconds: a watch that starts itself again and again never comes to rest. */
async function rest({ rounds }: Watcher): Promise<void> {
  let seen = rounds.length;
  let since = Date.now();
  await until("two seconds without a round", () => {
    if (rounds.length !== seen) [seen, since] = [rounds.length, Date.now()];
    return Date.now() - since >= 2_000;
  });
}

/** Whether a round behind the first `behind` named its rows and asked of so many. */
const named = ({ rounds }: Watcher, asked: number, behind: number): boolean =>
  rounds.slice(behind).some((round) => round.because === "change" && round.named !== null && round.asked === asked);

describe("a file that is watched", () => {
  it("is read when it has been written to its end, however that is done, and what we write ourselves starts no round", async () => {
    const server = await standinServer();
    ends.push(() => server.close());
    const folder = smallProject(notesCsv(20), {
      endpoint: server.endpoint,
      more: "watch: { changes: true }\nafterwards:\n  - { when: row.level >= 3, append: { table: { file: list.csv, key: id }, set: { id: row.id } } }\n",
    });
    const file = path.join(folder, "log.csv");
    const filled = (): Record<string, string>[] => rowsOf(folder, "log.filled.csv").filter((row) => row["level"] !== "");
    const one = watchIn(folder);
    await until("the first round", () => one.rounds.length === 1);
    expect(one.rounds[0]).toMatchObject({ because: "start", asked: 20 });
    // Written in pieces, as a program does that takes its time.
    for (let piece = 0; piece < 8; piece++) {
      appendFileSync(file, `a${piece},"Note of piece ${piece}: smoke in the hold."\n`);
      await sleep(60);
    }
    await until("the pieces", () => filled().length === 28 && one.rounds.reduce((sum, { asked }) => sum + asked, 0) >= 28);
    // However the pieces fell into rounds, each row was asked once.
    expect(one.rounds.reduce((sum, { asked }) => sum + asked, 0)).toBe(28);
    // Replaced by another file of the same name.
    writeFileSync(path.join(folder, "next.csv"), `${readFileSync(file, "utf8")}b,"A replaced file: the pump leaks oil."\n`);
    renameSync(path.join(folder, "next.csv"), file);
    await until("the replacement", () => filled().some((row) => row["id"] === "b"));
    // Emptied, and whole again: nothing that was filled is lost, and nothing is asked again.
    const asked = server.counts.requests;
    copyFileSync(file, path.join(folder, "whole.csv"));
    truncateSync(file, 0);
    await until("the complaint", () => one.notices.some((text) => /log\.csv/.test(text)));
    expect(filled()).toHaveLength(29);
    copyFileSync(path.join(folder, "whole.csv"), file);
    appendFileSync(file, 'c,"After all: flames in the galley."\n');
    await until("whole again", () => filled().length === 30);
    expect(server.counts.requests).toBe(asked + 1);
    // A person's correction in the result is a change: the list follows.
    const listed = rowsOf(folder, "list.csv")[0]!["id"]!;
    edit(folder, "log.filled.csv", (text) => text.replace(new RegExp(`^(${listed},.*?,[a-z]+),\\d,`, "m"), "$1,1,"));
    await until("the list", () => !rowsOf(folder, "list.csv").some((row) => row["id"] === listed));
    await rest(one);
    expect((await run(["status", "log"], folder)).out).toMatch(/watch +watched; on changes/);
    await one.stop();
    expect((await run(["status", "log"], folder)).out).toMatch(/watch +nobody watches it/);
  }, 120_000);

  it("has one watcher at a time; when that is killed another takes over, and nothing is missed or asked twice", async () => {
    const server = await standinServer({ latencyMs: 30 });
    ends.push(() => server.close());
    const folder = smallProject(notesCsv(60), { endpoint: server.endpoint, atOnce: 4, more: "watch: { changes: true }\n" });
    const one = watchIn(folder);
    await until("the first", () => server.counts.requests > 10);
    const two = watchIn(folder);
    await until("standing by", () => two.state() === "standby");
    one.child.kill("SIGKILL");
    appendFileSync(path.join(folder, "log.csv"), 'late,"Came while nobody watched: oil on the water."\n');
    await until("the other", () => rowsOf(folder, "log.filled.csv").filter((row) => row["level"] !== "").length === 61);
    await until("its round", () => two.rounds.length > 0);
    // What was in flight at the kill may be asked once more.
    expect(server.counts.requests).toBeLessThanOrEqual(61 + 4);
  }, 120_000);
});

/** The small project over a table of a database. */
async function inDatabase(database: TestDatabase, watch: string, rows = 12, endpoint = "standin"): Promise<string> {
  const folder = smallProject("id,note\n", { endpoint, more: `watch: ${watch}\n` });
  const place = "url" in database.place ? `url: "${database.place.url}"` : `file: deck.sqlite`;
  edit(folder, "yoroshi.yaml", (text) => `${text}databases: { main: { ${place} } }\n`);
  edit(folder, "plans/log.yaml", (text) => text.replace(/^table: .*$/m, "table: { database: main, table: log, key: id }"));
  const notes = parse(notesCsv(rows), { columns: true }) as Record<string, string>[];
  const values = notes.map(({ id, note }) => `('${id}', '${note!.replaceAll("'", "''")}')`).join(", ");
  await database.run("CREATE TABLE log (id varchar(40) PRIMARY KEY, note text, topic text, level integer, because text)");
  await database.run(`INSERT INTO log (id, note) VALUES ${values}`);
  if ("file" in database.place) copyFileSync(database.place.file, path.join(folder, "deck.sqlite"));
  return folder;
}

describe("a table of PostgreSQL", () => {
  it("tells of its changes by triggers that its owner applies; lost connections, dropped triggers and many rows at once miss nothing", async () => {
    const database = await postgresDatabase();
    ends.push(() => database.close());
    const folder = await inDatabase(database, "{ changes: true, lookSeconds: 1 }");
    const level = async (id: string): Promise<unknown> => (await database.run(`SELECT level FROM log WHERE id = '${id}'`))[0]?.["level"];
    const add = (id: string, note = "smoke in the galley"): Promise<unknown> =>
      database.run(`INSERT INTO log (id, note) VALUES ('${id}', 'Note ${id}: ${note}')`);
    const apply = async (): Promise<void> => {
      const { json } = await run(["watch", "log", "--triggers", "--json"], folder);
      for (const statement of json<{ tables: { statements: string[] }[] }>().tables[0]!.statements) await database.run(statement);
    };
    const one = watchIn(folder);
    await until("the first round", () => one.rounds.length === 1);
    expect(one.notices.join()).toMatch(/does not tell of its changes[\s\S]*--triggers/);
    await add("looked");
    await until("found by a look", async () => (await level("looked")) !== null);
    await apply();
    expect((await run(["watch", "log", "--triggers", "--json"], folder)).json<{ tables: { tells: boolean }[] }>().tables[0]!.tells).toBe(
      true,
    );
    await until("it is heard", () => one.notices.some((text) => /tells of its changes; it is not looked through/.test(text)));
    await rest(one);
    const heard = one.rounds.length;
    await add("told");
    // On a machine that stood still, a look that was still due may have found the row before its notice did: then it is another's turn.
    for (let next = 1; !named(one, 1, heard); next++) {
      const id = next === 1 ? "told" : `told${next}`;
      if (next > 1) await add(id);
      await until(`${id} is asked`, async () => (await level(id)) !== null);
      await rest(one);
      expect(next).toBeLessThan(5);
    }
    // Many in one statement: any may have changed.
    await database.run("INSERT INTO log (id, note) SELECT 'm' || n, 'Note m' || n || ': pump leaks oil' FROM generate_series(1, 300) AS n");
    await until(
      "all of many",
      async () => Number((await database.run("SELECT count(*) AS n FROM log WHERE level IS NULL"))[0]!["n"]) === 0,
    );
    // Its connection is cut, and rows come while it is not there.
    await database.run(
      "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'yoroshi' AND query LIKE 'LISTEN%' AND datname = current_database()",
    );
    await add("between");
    await until("what came between", async () => (await level("between")) !== null);
    // Its owner drops a trigger.
    await database.run("DROP TRIGGER yoroshi_tell_insert ON log");
    await until("it is told", () => one.notices.some((text) => /tells of its changes no more/.test(text)));
    await add("untold");
    await until("found by a look again", async () => (await level("untold")) !== null);
    await apply();
    // A person's change of a filled value stays.
    await sleep(1_500);
    await database.run("UPDATE log SET level = 5, note = note || ' (more)' WHERE id = 'told'");
    await until(
      "the person's",
      async () => ((await database.run("SELECT because FROM log WHERE id = 'told'"))[0]!["because"] as string) !== "",
    );
    await sleep(500);
    expect(await level("told")).toBe(5);
  }, 180_000);

  it("whose triggers name other columns than a plan's key is looked at whole, so that nothing is missed", async () => {
    const database = await postgresDatabase();
    ends.push(() => database.close());
    const folder = await inDatabase(database, "{ changes: true, lookSeconds: 1 }");
    await database.run("ALTER TABLE log ADD COLUMN ship text");
    edit(folder, "plans/log.yaml", (text) => text.replace("key: id }", "key: [id, ship] }"));
    const { json } = await run(["watch", "log", "--triggers", "--json"], folder);
    for (const statement of json<{ tables: { statements: string[] }[] }>().tables[0]!.statements)
      await database.run(statement.replace("'id', 'ship'", "'ship'"));
    edit(folder, "plans/log.yaml", (text) => text.replace("key: [id, ship] }", "key: id }"));
    const one = watchIn(folder);
    await until("the first round", () => one.rounds.length === 1);
    await database.run("INSERT INTO log (id, note, ship) VALUES ('k', 'Note k: smoke in the galley', 'Tern')");
    await until("the row", async () => (await database.run("SELECT level FROM log WHERE id = 'k'"))[0]!["level"] !== null);
  }, 60_000);

  it("says in a report what must be done where nothing can tell", async () => {
    const folder = smallProject(notesCsv(2), { more: "watch: { changes: true }\n" });
    const { code, err } = await run(["watch", "log", "--triggers"], folder);
    expect(code).toBe(2);
    expect(err).toMatch(/reads no table of a PostgreSQL database/);
  });

  it("is watched by one of several machines; another takes over when that is cut off, which then stands by; nothing is asked twice", async () => {
    const server = await standinServer({ latencyMs: 20 });
    const database = await postgresDatabase();
    ends.push(
      () => database.close(),
      () => server.close(),
    );
    const folder = await inDatabase(database, "{ changes: true, lookSeconds: 1 }", 12, server.endpoint);
    edit(folder, "yoroshi.yaml", (text) => `${text}ledger: { database: main }\n`);
    const elsewhere = path.join(tempFolder(), "copy");
    cpSync(folder, elsewhere, { recursive: true });
    const add = (id: string): Promise<unknown> =>
      database.run(`INSERT INTO log (id, note) VALUES ('${id}', 'Note ${id}: smoke in the galley')`);
    const isAsked = async (id: string): Promise<boolean> =>
      (await database.run(`SELECT level FROM log WHERE id = '${id}'`))[0]?.["level"] !== null;
    const one = watchIn(folder);
    await until("the first round", () => one.rounds.length === 1);
    const two = watchIn(elsewhere);
    await until("standing by", () => two.state() === "standby");
    await add("first");
    await until("the first row", () => isAsked("first"));
    expect(two.rounds).toEqual([]);
    one.child.kill("SIGSTOP");
    await add("second");
    await until("the other takes over", () => isAsked("second"), 30_000);
    await until("its round", () => two.rounds.length > 0);
    one.child.kill("SIGCONT");
    await until("it hears of it", () => one.notices.some((text) => /another watches the plan now/.test(text)));
    await until("it stands by", () => one.state() === "standby");
    // The other may still be in its round.
    await until("it is watched", async () => /watch +watched; on changes/.test((await run(["status", "log"], folder)).out));
    const before = one.rounds.length;
    await add("third");
    await until("the third row", () => isAsked("third"));
    await rest(two);
    expect(one.rounds.length).toBe(before);
    expect(server.counts.requests).toBe(12 + 3);
  }, 120_000);
});

describe.each([
  ["sqlite", async () => sqliteDatabase()],
  ["mariadb", mariadbDatabase],
  ["postgres", postgresDatabase],
] as const)("a table of %s with a growing column", (kind, open) => {
  it("is looked at by it, so that only rows behind it are read", async () => {
    const database = await open();
    if (!database) return void console.warn(`NO ${kind.toUpperCase()}: a growing column is not looked at in it.`);
    ends.push(() => database.close());
    const folder = await inDatabase(database, "{ by: changed, lookSeconds: 1 }");
    // Of SQLite the project's own copy is the table.
    const db: Pick<TestDatabase, "run"> = kind === "sqlite" ? sqliteAt(path.join(folder, "deck.sqlite")) : database;
    await db.run("ALTER TABLE log ADD COLUMN changed integer DEFAULT 0");
    const one = watchIn(folder);
    await until("the first round", () => one.rounds.length === 1);
    await db.run("INSERT INTO log (id, note, changed) VALUES ('x1', 'Note x1: oil on the water', 7), ('x2', 'Note x2: smoke', 7)");
    await until("both", () => one.rounds.some(({ because, asked }) => because === "change" && asked === 2));
    expect(Number((await db.run("SELECT count(*) AS n FROM log WHERE level IS NULL"))[0]!["n"])).toBe(0);
    const both = one.rounds.length;
    await db.run("UPDATE log SET note = 'Note x1: the motor stopped', changed = 8 WHERE id = 'x1'");
    await until("the change", () => named(one, 1, both));
    // Very many with one value, as an import leaves them; the next is named again.
    const many = Array.from({ length: 5_600 }, (_, index) => `('y${index}', '', 9)`);
    await db.run(`INSERT INTO log (id, note, changed) VALUES ${many.join(", ")}, ('z', 'Note z: flames in the galley', 9)`);
    await until("the last of many", async () => (await db.run("SELECT topic FROM log WHERE id = 'z'"))[0]!["topic"] === "fire");
    const imported = one.rounds.length;
    await db.run("INSERT INTO log (id, note, changed) VALUES ('x3', 'Note x3: pump leaks oil', 10)");
    await until("the next", () => named(one, 1, imported));
  }, 120_000);
});

function sqliteAt(file: string): Pick<TestDatabase, "run"> {
  return {
    run: async (sql) => {
      const { default: BetterSqlite } = await import("better-sqlite3");
      const db = new BetterSqlite(file, { timeout: 5_000 });
      try {
        if (/^\s*SELECT/i.test(sql)) return db.prepare(sql).all() as Record<string, unknown>[];
        db.exec(sql);
        return [];
      } finally {
        db.close();
      }
    },
  };
}

it("a server watches the plans that say so, takes rows for them, and tells of it at /health, as metrics and as events", async () => {
  const folder = smallProject(notesCsv(6), { more: "watch: { changes: true }\n" });
  const { api, base, send, tokenWith } = await serve(folder);
  await until("the first round", async () => (await api.readWatched({})).plans[0]?.watch?.lastRound?.asked === 6);
  const heard: string[] = [];
  const ended = new AbortController();
  const listening = api.listen((event) => void heard.push(event.type), { signal: ended.signal }).catch(() => undefined);
  const { keys } = await api.addRows({ plan: "log", rows: [{ note: "Note by a program: flames behind the dryer." }] });
  await until("the row", async () => (await api.readWatched({})).plans[0]?.watch?.lastRound?.asked === 1);
  expect(rowsOf(folder, "log.filled.csv").find((row) => row["id"] === keys[0])?.["topic"]).toBe("fire");
  expect(await (await fetch(`${base}/health`)).json()).toMatchObject({ works: true, watched: 1, resting: 0 });
  expect((await fetch(`${base}/metrics`)).status).toBe(401);
  const metrics = await (await send("/metrics")).text();
  expect(metrics).toMatch(/^yoroshi_watch_up\{plan="log"\} 1$/m);
  expect(metrics).toMatch(/^yoroshi_watch_last_round_asked\{plan="log"\} 1$/m);
  expect(metrics.endsWith("# EOF\n")).toBe(true);
  const answering = await tokenWith({ right: "answer", template: "sort" });
  expect((await fetch(`${base}/metrics`, { headers: { authorization: `Bearer ${answering}` } })).status).toBe(403);
  await until("events", () => heard.includes("watch"));
  expect((await api.readChanges({ plan: "log" })).changes.map(({ key }) => key)).toContain(keys[0]);
  // A plan that says so no more is let alone; one that begins to is taken up.
  edit(folder, "plans/log.yaml", (text) => text.replace("watch: { changes: true }", ""));
  await until("off", async () => ((await (await fetch(`${base}/health`)).json()) as { watched: number }).watched === 0);
  ended.abort();
  await listening;
}, 120_000);
