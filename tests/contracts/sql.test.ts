import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openDatabase, sqlRows, sqlTable, type Database } from "../../src/adapters/sql/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import {
  fill,
  memoryLedger,
  plan,
  prepare,
  template,
  type CellOut,
  type Prepared,
  type Row,
  type Table,
  type TargetColumn,
} from "../../src/core/index.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";
import { fenced, scriptedModel } from "../helpers/models.js";

const NAMES = ["sqlite", "postgres", "mariadb"] as const;
const bases: Partial<Record<(typeof NAMES)[number], TestDatabase>> = {};
const open: Database[] = [];

beforeAll(async () => {
  bases.sqlite = sqliteDatabase();
  bases.postgres = await postgresDatabase();
  const mariadb = await mariadbDatabase();
  if (mariadb) bases.mariadb = mariadb;
});
afterAll(async () => {
  for (const database of open) await database.close();
  for (const base of Object.values(bases)) await base.close();
});

const readAll = async (table: Table): Promise<Row[]> => {
  const rows: Row[] = [];
  for await (const chunk of table.read()) rows.push(...chunk.rows);
  return rows;
};
const standing = async (table: Table, columns: string[]) => {
  const found: Record<string, Record<string, string>> = {};
  for await (const rows of table.standing(columns)) for (const { key, values } of rows) found[key] = { ...values };
  return found;
};
const gives = (all: Record<string, Record<string, CellOut>>) => async (keys: readonly string[]) => keys.map((key) => all[key]);

describe.each(NAMES)("tables of %s", (kind) => {
  /** Skipped, loudly, where there is no such server. */
  const onBase = (title: string, test: (base: TestDatabase, database: Database, q: (name: string) => string) => Promise<void>): void => {
    it(title, async (context) => {
      const base = bases[kind];
      if (!base) return context.skip();
      const database = await openDatabase({ name: "main", ...base.place, timeZone: "Pacific/Auckland", clock: systemClock() });
      open.push(database);
      const mark = kind === "mariadb" ? "`" : '"';
      await test(base, database, (name) => `${mark}${name}${mark}`);
    });
  };

  onBase("reads every value as text without loss, names quoted", async (base, database, q) => {
    const table = `select of "odd" names`;
    const quoted = kind === "mariadb" ? `\`${table}\`` : `"${table.replaceAll('"', '""')}"`;
    await base.run(
      `CREATE TABLE ${quoted} (${q("order")} BIGINT PRIMARY KEY, ${q("group by")} ${kind === "sqlite" ? "TEXT" : "DECIMAL(30,10)"}, big BIGINT, ok BOOLEAN, note TEXT, day DATE)`,
    );
    await base.run(
      `INSERT INTO ${quoted} VALUES (9007199254740993, '12345678901234567890.1234567890', 9223372036854775807, TRUE, 'Ān apostrophe'' 😀', '2026-03-04'), (2, NULL, -1, FALSE, '', NULL)`,
    );
    const one = sqlTable(database, { table: `"${table.replaceAll('"', '""')}"`, key: "order" });
    expect(await one.columns()).toEqual(["order", "group by", "big", "ok", "note", "day"]);
    const rows = await readAll(one);
    expect(rows.map((row) => row.key)).toEqual(["2", "9007199254740993"]);
    expect(rows[1]!.values).toEqual({
      order: "9007199254740993",
      "group by": "12345678901234567890.1234567890",
      big: "9223372036854775807",
      ok: "true",
      note: "Ān apostrophe' 😀",
      day: "2026-03-04",
    });
    expect(rows[0]!.values).toMatchObject({ "group by": "", big: "-1", ok: "false", note: "", day: "" });
  });

  onBase("creates columns on request, and writes values of every type so that they stand as written", async (base, database) => {
    await base.run("CREATE TABLE fills (id INTEGER PRIMARY KEY, note TEXT)");
    await base.run("INSERT INTO fills VALUES (1, 'a'), (2, 'b'), (3, 'c')");
    const table = sqlTable(database, { table: "fills", key: "id" });
    const columns: TargetColumn[] = [
      { name: "words", freeText: true, type: "text" },
      { name: "level", freeText: false, type: "integer" },
      { name: "sum", freeText: false, type: "decimal" },
      { name: "share", freeText: false, type: "number" },
      { name: "urgent", freeText: false, type: "yesNo" },
      { name: "due", freeText: false, type: "date" },
      { name: "at", freeText: false, type: "dateTime" },
    ];
    const statements = await table.missingColumns!(columns);
    expect(statements).toHaveLength(7);
    expect(statements[1]).toMatch(/^ALTER TABLE .fills. ADD COLUMN .level. (BIGINT|bigint|INTEGER)$/);
    await expect(table.write(columns, gives({}))).rejects.toThrow("there is no column `words`, `level`");
    await table.createColumns!(columns);
    expect(await table.missingColumns!(columns)).toEqual([]);
    const values = {
      words: "=1+1 'q' \0 \ud800 日本 😀",
      level: -3,
      sum: 1.5,
      share: 0.1,
      urgent: "yes",
      due: "2026-03-04",
      at: "2026-03-04T08:15",
    };
    await table.write(columns, gives({ 1: values, 3: { ...values, words: "", urgent: "no", sum: 12345678901.25 } }));
    const now = await standing(
      table,
      columns.map((column) => column.name),
    );
    expect(now["1"]).toEqual(
      Object.fromEntries(columns.map((column) => [column.name, table.asWritten(column, values[column.name as keyof typeof values])])),
    );
    expect(now["1"]).toMatchObject({
      words: "=1+1 'q' \ufffd \ufffd 日本 😀",
      level: "-3",
      sum: "1.5",
      share: "0.1",
      urgent: "true",
      due: "2026-03-04",
      at: "2026-03-04T08:15",
    });
    expect(now["2"]).toEqual(Object.fromEntries(columns.map((column) => [column.name, ""])));
    expect(now["3"]).toMatchObject({ words: "", urgent: "false", sum: "12345678901.25" });
    expect((await base.run("SELECT count(*) AS n FROM fills WHERE words IS NULL"))[0]!["n"]).toEqual(kind === "postgres" ? "2" : 2);
    expect((await readAll(table)).map((row) => row.values["note"])).toEqual(["a", "b", "c"]);
  });

  onBase("never writes over what changed since it was read, and tells the core what stands", async (base, database) => {
    await base.run("CREATE TABLE races (id INTEGER PRIMARY KEY, note VARCHAR(50), level INTEGER)");
    await base.run("INSERT INTO races VALUES (1, 'old', 1), (2, 'old', 2), (3, 'old', 3)");
    const table = sqlTable(database, { table: "races", key: "id" });
    await table.columns();
    await table.write([{ name: "note", freeText: true }], async (keys, rows) => {
      expect(rows).toEqual(["1", "2", "3"].map((key) => ({ key, values: { note: "old" } })));
      // Somebody changes a row after it was read and before it is written.
      await base.run("UPDATE races SET note = 'theirs' WHERE id = 2");
      return keys.map(() => ({ note: "ours" }));
    });
    expect((await base.run("SELECT note FROM races ORDER BY id")).map((row) => row["note"])).toEqual(["ours", "theirs", "ours"]);
  });

  onBase("aligns answers by key when a key changes while its row is asked about, and asks nothing twice for it", async (base, database) => {
    await base.run("CREATE TABLE renamed (id INTEGER PRIMARY KEY, note VARCHAR(50), echo VARCHAR(50))");
    await base.run("INSERT INTO renamed VALUES (1, 'one', NULL), (2, 'two', NULL), (3, 'three', NULL)");
    const echo = template({
      name: "echo",
      inputs: { note: { kind: "text" } },
      task: "Repeat. {{ note }}",
      answer: { said: { kind: "text", maxChars: 50 } },
    });
    let renamed = false;
    const model = scriptedModel(async (request) => {
      if (!renamed) await base.run("UPDATE renamed SET id = 20 WHERE id = 2");
      renamed = true;
      return JSON.stringify({ said: fenced(request, "note") });
    });
    const setup = {
      plan: plan({
        name: "echo",
        table: { database: "main", table: "renamed", key: "id" },
        steps: { echo: { template: "echo", fill: { echo: "said" } } },
        limits: { atOnce: 1 },
      }),
      table: sqlTable(database, { table: "renamed", key: "id" }),
      asking: { echo: { prepared: prepare(echo) as unknown as Prepared, version: 1, model } },
      ledger: memoryLedger(),
      clock: systemClock(),
    };
    expect(await fill(setup)).toMatchObject({ asked: 3, filled: 3 });
    const echoes = async (): Promise<unknown[]> =>
      (await base.run("SELECT note, echo FROM renamed ORDER BY id")).map((row) => [row["note"], row["echo"]]);
    expect(await echoes()).toEqual([
      ["one", "one"],
      ["three", "three"],
      ["two", null],
    ]);
    expect(await fill(setup)).toMatchObject({ asked: 0, filled: 3 });
    expect(await echoes()).toEqual([
      ["one", "one"],
      ["three", "three"],
      ["two", "two"],
    ]);
  });

  onBase("keeps keys of several columns apart, and pages through them while others write", async (base, database) => {
    await base.run("CREATE TABLE pairs (ship VARCHAR(20) NOT NULL, day INTEGER NOT NULL, note VARCHAR(20), PRIMARY KEY (ship, day))");
    const some = Array.from({ length: 3_000 }, (_, index) => `('ship ${index % 7}|', ${index}, 'n')`);
    for (let at = 0; at < some.length; at += 500) await base.run(`INSERT INTO pairs VALUES ${some.slice(at, at + 500).join(", ")}`);
    const table = sqlTable(database, { table: "pairs", key: ["ship", "day"] });
    const keys: string[] = [];
    let pages = 0;
    for await (const { rows, share } of table.read()) {
      keys.push(...rows.map((row) => row.key));
      expect(share).toBeLessThanOrEqual(1);
      if (++pages === 2) await base.run("DELETE FROM pairs WHERE ship = 'ship 0|' AND day < 700"); // rows that were read already
      if (pages === 3) await base.run("INSERT INTO pairs VALUES ('ship 6|', 9999, 'late')");
    }
    expect(new Set(keys).size).toBe(keys.length);
    expect(keys).toHaveLength(3_001);
    expect(keys).toContain("ship 6\\||9999");
    await table.columns();
    await table.write([{ name: "note", freeText: true }], gives({ "ship 3\\||3": { note: "one" } }));
    expect(await base.run("SELECT ship, day FROM pairs WHERE note = 'one'")).toEqual([{ ship: "ship 3|", day: 3 }]);
  });

  onBase("says which values the columns do not take, and writes all others", async (base, database) => {
    await base.run(
      `CREATE TABLE narrow (id INTEGER PRIMARY KEY, word VARCHAR(5), level INTEGER ${kind === "sqlite" ? "CHECK (level < 9)" : ", CHECK (level < 9)"})`,
    );
    await base.run("INSERT INTO narrow (id) VALUES (1), (2), (3), (4), (5)");
    const table = sqlTable(database, { table: "narrow", key: "id" });
    await table.columns();
    const error = await table
      .write([{ name: "level", freeText: false }], async (keys) => keys.map((key) => ({ level: key === "4" ? 12 : Number(key) })))
      .catch((thrown: unknown) => thrown as Error);
    expect((error as Error).message).toBe(
      "main.narrow did not take the values of 1 row (level): a rule of the table forbids the value. For example: 4. All others are written; mend the column and run the same command again.",
    );
    expect((await base.run("SELECT level FROM narrow ORDER BY id")).map((row) => row["level"])).toEqual([1, 2, 3, null, 5]);
    if (kind !== "sqlite")
      await expect(
        table.write([{ name: "word", freeText: true }], gives({ 2: { word: "far too long" }, 3: { word: "fits" } })),
      ).rejects.toThrow("the value is longer than the column holds. For example: 2.");
  });

  onBase("reads a query by its key and writes into the table that the plan names", async (base, database) => {
    await base.run("CREATE TABLE logs (id INTEGER PRIMARY KEY, vessel VARCHAR(20), note VARCHAR(20))");
    await base.run("INSERT INTO logs VALUES (1, 'Tern', NULL), (2, 'Gull', NULL)");
    const query = "SELECT l.id, upper(l.vessel) AS shout FROM logs l;";
    const table = sqlTable(database, { query, into: "logs", key: "id" });
    expect(await table.columns()).toEqual(["id", "shout"]);
    expect((await readAll(table)).map((row) => [row.key, row.values["shout"]])).toEqual([
      ["1", "TERN"],
      ["2", "GULL"],
    ]);
    await table.write([{ name: "note", freeText: true }], gives({ 2: { note: "x" } }));
    expect((await base.run("SELECT note FROM logs ORDER BY id")).map((row) => row["note"])).toEqual([null, "x"]);
    await expect(sqlTable(database, { query, key: "id" }).write([], gives({}))).rejects.toThrow(
      "a query cannot be filled. Say which table takes what is filled, by the same key: `into: <table>`.",
    );
    const rows: unknown[] = [];
    for await (const some of sqlRows(database, { query }).rows()) rows.push(...some);
    expect(rows).toEqual([
      { id: "1", shout: "TERN" },
      { id: "2", shout: "GULL" },
    ]);
    const many = Array.from({ length: 2_500 }, (_, index) => `(${index + 10}, 'v', NULL)`);
    for (let at = 0; at < many.length; at += 500) await base.run(`INSERT INTO logs VALUES ${many.slice(at, at + 500).join(", ")}`);
    const sizes: number[] = [];
    for await (const some of sqlRows(database, { table: "logs" }).rows()) sizes.push(some.length);
    expect(sizes).toEqual([1024, 1024, 454]);
  });

  onBase("tells of tables, keys and queries that cannot be used", async (base, database) => {
    await base.run("CREATE TABLE twice (id INTEGER, note VARCHAR(20))");
    await base.run("INSERT INTO twice VALUES (1, 'a'), (1, 'b'), (NULL, 'c')");
    await expect(sqlTable(database, { table: "nowhere", key: "id" }).columns()).rejects.toThrow(
      "main.nowhere, database: there is no such table, or it may not be seen.",
    );
    await expect(readAll(sqlTable(database, { table: "twice", key: "ids" }))).rejects.toThrow(
      "there is no column `ids` for the key. Did you mean `id`?",
    );
    await expect(readAll(sqlTable(database, { table: "twice", key: "id" }))).rejects.toThrow(
      "`id` does not name one row: 1 value stands in more than one. Add a column to the key: `key: [id, …]`.",
    );
    expect((await readAll(sqlTable(database, { table: "twice", key: ["id", "note"] }))).map((row) => row.problem)).toEqual([
      undefined,
      undefined,
      "the row has no key",
    ]);
    await expect(sqlTable(database, { query: "SELECT FROM WHERE", key: "id" }).columns()).rejects.toThrow(
      /The database main cannot be used: the query has a mistake/,
    );
  });
});

describe("a database that is away", () => {
  it("is an error at once when it never answered", async () => {
    const database = await openDatabase({ name: "far", url: "postgresql://postgres@127.0.0.1:1/none", clock: systemClock() });
    open.push(database);
    await expect(sqlTable(database, { table: "t", key: "id" }).columns()).rejects.toThrow(
      "The database far cannot be used: nothing answers at its address.",
    );
    await expect(openDatabase({ name: "gone", file: "/nowhere/none.sqlite", clock: systemClock() })).rejects.toThrow(
      "The database gone cannot be used: there is no such file.",
    );
    await expect(openDatabase({ name: "odd", url: "oracle://x/y", clock: systemClock() })).rejects.toThrow(
      "its address does not begin with postgresql://, mysql:// or mariadb://",
    );
  });

  it("is waited for when it comes back", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE long_one (id INTEGER PRIMARY KEY, note TEXT)");
    await base.run("INSERT INTO long_one SELECT n, 'x' FROM generate_series(1, 5000) AS n");
    const database = await openDatabase({ name: "main", ...base.place, clock: systemClock() });
    open.push(database);
    const table = sqlTable(database, { table: "long_one", key: "id" });
    let rows = 0;
    for await (const chunk of table.read()) {
      rows += chunk.rows.length;
      // The server ends our connections in the middle.
      if (rows === 128 || rows === 2_176)
        await base.run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'yoroshi'");
    }
    expect(rows).toBe(5_000);
    await table.columns();
    await table.write([{ name: "note", freeText: true }], async (keys) => {
      if (keys[0] === "2001") await base.run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'yoroshi'");
      return keys.map(() => ({ note: "y" }));
    });
    expect((await base.run("SELECT count(*) AS n FROM long_one WHERE note = 'y'"))[0]!["n"]).toBe("5000");
  });

  it("of PostgreSQL gives times with a zone in the project's, and all their digits", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE times (id INTEGER PRIMARY KEY, at TIMESTAMPTZ, plain TIMESTAMP)");
    await base.run("INSERT INTO times VALUES (1, '2026-08-03 08:15:00.123456+00', '2026-08-03 08:15:00')");
    const database = await openDatabase({ name: "main", ...base.place, timeZone: "Pacific/Auckland", clock: systemClock() });
    open.push(database);
    expect((await readAll(sqlTable(database, { table: "times", key: "id" })))[0]!.values).toEqual({
      id: "1",
      at: "2026-08-03T20:15:00.123456+12:00",
      plain: "2026-08-03T08:15:00",
    });
  });

  it("says which rights it needs", async () => {
    const base = bases.postgres!;
    const role = `reader_${process.pid}`;
    await base.run("CREATE TABLE kept (id INTEGER PRIMARY KEY, note TEXT)");
    await base.run(`CREATE ROLE ${role} LOGIN PASSWORD 'x'`);
    try {
      await base.run(`GRANT SELECT ON kept TO ${role}`);
      const url = new URL((base.place as { url: string }).url);
      url.username = role;
      url.password = "x";
      const database = await openDatabase({ name: "main", url: url.href, clock: systemClock() });
      open.push(database);
      const table = sqlTable(database, { table: "kept", key: "id" });
      await table.columns();
      const note = [{ name: "note", freeText: true }];
      const needed =
        "The database main: permission is denied. Needed: SELECT on main.kept, and UPDATE on its columns note (its key id is only read).";
      await expect(table.checkWritable!(note)).rejects.toThrow(needed);
      await base.run(`GRANT UPDATE (note) ON kept TO ${role}`);
      await table.checkWritable!(note);
      await table.write(note, gives({}));
    } finally {
      await base.run(`DROP OWNED BY ${role}`);
      await base.run(`DROP ROLE ${role}`);
    }
  });
});
