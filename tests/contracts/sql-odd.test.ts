import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { openDatabase, sqlTable, type Database } from "../../src/adapters/sql/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { fill, memoryLedger, plan, type CellOut, type FillSetup, type Refusal, type Row, type Table } from "../../src/core/index.js";
import { mariadbDatabase, postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";

/** Tables that are odd, or refuse what is written to them. */
const bases: { sqlite?: TestDatabase; postgres?: TestDatabase; mariadb?: TestDatabase | undefined } = {};
const open: Database[] = [];
beforeAll(async () => {
  bases.sqlite = sqliteDatabase();
  bases.postgres = await postgresDatabase();
  bases.mariadb = await mariadbDatabase();
});
afterAll(async () => {
  for (const database of open) await database.close();
  for (const base of Object.values(bases)) await base?.close();
});
const opened = async (base: TestDatabase, url = base.place): Promise<Database> => {
  const database = await openDatabase({ name: "main", ...url, clock: systemClock() });
  open.push(database);
  return database;
};
const NOTE = [{ name: "note", freeText: true, type: "text" }] as const;
const echoKeys = async (keys: readonly string[]): Promise<Record<string, CellOut>[]> => keys.map((key) => ({ note: `n ${key}` }));
const readAll = async (table: Table): Promise<Row[]> => {
  const rows: Row[] = [];
  for await (const chunk of table.read()) rows.push(...chunk.rows);
  return rows;
};
const refusalsOf = async (table: Table, cellsOf = echoKeys): Promise<readonly Refusal[]> => {
  const found: Refusal[] = [];
  await table.columns();
  await table.write(NOTE, cellsOf, { onRefused: (refusals) => found.push(...refusals) });
  return found;
};
/** A plan of one plain column over a table of a database. */
const setup = (table: Table, set: string): FillSetup => ({
  plan: plan({ name: "p", table: { database: "main", table: "t", key: "id" }, steps: { line: { set: { note: set } } } }),
  table,
  asking: {},
  ledger: memoryLedger(),
  clock: systemClock(),
});

describe("PostgreSQL", () => {
  it("puts answers into the rows of char(n) keys, and cuts no char(n) value", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE fixed (id char(5) PRIMARY KEY, note char(12), bits bit(4))");
    await base.run("INSERT INTO fixed VALUES ('A', NULL, '1010'), ('AB', NULL, '0110'), ('ABC', 'old', NULL)");
    const table = sqlTable(await opened(base), { table: "fixed", key: "id" });
    expect((await readAll(table)).map(({ key, values }) => [key, values["note"]])).toEqual([
      ["A", ""],
      ["AB", ""],
      ["ABC", "old"],
    ]);
    expect(await refusalsOf(table)).toEqual([]);
    expect(
      (await base.run("SELECT rtrim(id) AS id, rtrim(note) AS note FROM fixed ORDER BY id")).map((row) => [row["id"], row["note"]]),
    ).toEqual([
      ["A", "n A"],
      ["AB", "n AB"],
      ["ABC", "n ABC"],
    ]);
    const standing: Record<string, string> = {};
    for await (const rows of table.standing(["note"])) for (const { key, values } of rows) standing[key] = values["note"]!;
    expect(standing).toEqual({ A: table.asWritten(NOTE[0], "n A"), AB: "n AB", ABC: "n ABC" });
    expect((await refusalsOf(table, async (keys) => keys.map(() => ({ note: "far too long a text" }))))[0]).toMatchObject({
      rows: 3,
      problem: "the value is longer than the column holds",
    });
    await sqlTable(await opened(base), { table: "fixed", key: "id" }).write([{ name: "bits", freeText: false }], async (keys) =>
      keys.map(() => ({ bits: "1111" })),
    );
    expect(await base.run("SELECT DISTINCT bits::text AS bits FROM fixed")).toEqual([{ bits: "1111" }]);
  });

  it("says which rows took nothing: row level security, a trigger that gives NULL, one that makes another value", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE quiet (id int PRIMARY KEY, note text)");
    await base.run("INSERT INTO quiet SELECT n, NULL FROM generate_series(1, 9) AS n");
    await base.run(
      "CREATE FUNCTION hush() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN IF NEW.id IN (2, 3) THEN RETURN NULL; END IF; IF NEW.id = 5 THEN NEW.note := upper(NEW.note); END IF; RETURN NEW; END $$",
    );
    await base.run("CREATE TRIGGER hush BEFORE UPDATE ON quiet FOR EACH ROW EXECUTE FUNCTION hush()");
    const one = setup(sqlTable(await opened(base), { table: "quiet", key: "id" }), "n {{ row.id }}");
    const report = await fill(one);
    expect(report).toMatchObject({ filled: 6, failed: 3 });
    expect(report.refused).toEqual([
      { rows: 2, keys: ["2", "3"], columns: ["note"], problem: expect.stringContaining("kept its old value without an error") as string },
      {
        rows: 1,
        keys: ["5"],
        columns: ["note"],
        problem: expect.stringContaining("another value stands there than was written") as string,
      },
    ]);
    const role = `limited_${process.pid}`;
    await base.run(`CREATE ROLE ${role} LOGIN PASSWORD 'x'`);
    try {
      await base.run("CREATE TABLE ruled (id int PRIMARY KEY, note text)");
      await base.run("INSERT INTO ruled VALUES (1), (2), (3)");
      await base.run(
        `ALTER TABLE ruled ENABLE ROW LEVEL SECURITY; CREATE POLICY r ON ruled FOR SELECT USING (true); CREATE POLICY w ON ruled FOR UPDATE USING (id <> 2); GRANT SELECT, UPDATE ON ruled TO ${role}`,
      );
      const url = new URL((base.place as { url: string }).url);
      url.username = role;
      url.password = "x";
      expect(await refusalsOf(sqlTable(await opened(base, { url: url.href }), { table: "ruled", key: "id" }))).toEqual([
        { rows: 1, keys: ["2"], columns: ["note"], problem: expect.stringContaining("row level security") as string },
      ]);
    } finally {
      await base.run(`DROP OWNED BY ${role}`);
      await base.run(`DROP ROLE ${role}`);
    }
  });

  it("lets a trigger that refuses one row stop only that one, and tells its words", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE strict (id int PRIMARY KEY, note text)");
    await base.run("INSERT INTO strict SELECT n, NULL FROM generate_series(1, 40) AS n");
    await base.run(
      "CREATE FUNCTION forbid() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN IF NEW.id = 17 THEN RAISE EXCEPTION 'row 17 is sealed'; END IF; RETURN NEW; END $$",
    );
    await base.run("CREATE TRIGGER forbid BEFORE UPDATE ON strict FOR EACH ROW EXECUTE FUNCTION forbid()");
    expect(await refusalsOf(sqlTable(await opened(base), { table: "strict", key: "id" }))).toEqual([
      { rows: 1, keys: ["17"], columns: ["note"], problem: "the database says: row 17 is sealed" },
    ]);
    expect(await base.run("SELECT count(*)::int AS n FROM strict WHERE note IS NOT NULL")).toEqual([{ n: 39 }]);
  });

  it("names views, computed columns and read-only databases before anything is asked", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE made (id int PRIMARY KEY, word text, note text GENERATED ALWAYS AS (word || '!') STORED)");
    await base.run("CREATE VIEW simple AS SELECT id, word FROM made");
    await base.run("CREATE VIEW summed AS SELECT id, max(word) AS note FROM made GROUP BY id");
    const database = await opened(base);
    await expect(sqlTable(database, { table: "made", key: "id" }).checkWritable!(NOTE)).rejects.toThrow(
      "main.made, column note: the database computes it itself",
    );
    await expect(sqlTable(database, { table: "summed", key: "id" }).checkWritable!(NOTE)).rejects.toThrow(
      "main.summed, table: it is a view whose rows cannot be changed. Read it by a query and name the table that takes what is filled: `query: SELECT * FROM summed`, `into: <table>`.",
    );
    await sqlTable(database, { table: "simple", key: "id" }).checkWritable!([{ name: "word", freeText: true }]);
    const { url } = base.place as { url: string };
    const readOnly = await opened(base, { url: `${url}?options=-c%20default_transaction_read_only%3Don` });
    await expect(sqlTable(readOnly, { table: "strict", key: "id" }).checkWritable!(NOTE)).rejects.toThrow(
      "The database main cannot be used: it is read-only.",
    );
  });

  it("of many pages: refused values on several pages cost their own rows only; a failure lets what is being written end, and begins nothing more", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE wide (id int PRIMARY KEY, note text CHECK (note NOT LIKE '%77'))");
    await base.run("INSERT INTO wide SELECT n, NULL FROM generate_series(1, 9000) AS n");
    const table = sqlTable(await opened(base), { table: "wide", key: "id" });
    const refused = await refusalsOf(table);
    expect(refused).toMatchObject([{ rows: 90, keys: ["77", "177", "277"] }]);
    expect(await base.run("SELECT count(*)::int AS n FROM wide WHERE note = 'n ' || id")).toEqual([{ n: 8910 }]);
    await base.run("UPDATE wide SET note = NULL");
    let pages = 0;
    const failing = async (keys: readonly string[]): Promise<Record<string, CellOut>[]> => {
      if (++pages === 3) throw new Error("gone");
      return echoKeys(keys);
    };
    await expect(table.write(NOTE, failing, { onRefused: () => undefined })).rejects.toThrow("gone");
    // Two pages of 2,000 were under way.
    expect(await base.run("SELECT count(*)::int AS n FROM wide WHERE note IS NOT NULL")).toEqual([{ n: 3960 }]);
    await base.run("ALTER TABLE wide ALTER COLUMN note TYPE int USING NULL, DROP CONSTRAINT wide_note_check");
    await expect(table.write(NOTE, echoKeys)).rejects.toMatchObject({ code: expect.stringMatching(/cellsRefused|databaseUnusable/) });
  });

  it("whose connections are cut again and again ends right, and the process lives", async () => {
    const base = bases.postgres!;
    await base.run("CREATE TABLE cut (id int PRIMARY KEY, note text)");
    await base.run("INSERT INTO cut SELECT n, NULL FROM generate_series(1, 6000) AS n");
    const table = sqlTable(await opened(base), { table: "cut", key: "id" });
    await table.columns();
    let over = false;
    const cutting = (async () => {
      // Longer from cut to cut, so that a slow machine gets through, too.
      for (let pause = 100; !over; pause *= 1.3) {
        await base.run(
          `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'yoroshi' AND datname = current_database()`,
        );
        await new Promise((resolve) => setTimeout(resolve, pause));
      }
    })();
    const refused: Refusal[] = [];
    await table.write(NOTE, echoKeys, { onRefused: (refusals) => refused.push(...refusals) });
    over = true;
    await cutting;
    expect(refused).toEqual([]);
    expect(await base.run("SELECT count(*)::int AS n FROM cut WHERE note = 'n ' || id")).toEqual([{ n: 6000 }]);
  });
});

describe("MariaDB", () => {
  const onBase = (title: string, test: (base: TestDatabase) => Promise<void>): void => {
    it(title, async (context) => (bases.mariadb ? test(bases.mariadb) : context.skip()));
  };

  onBase("writes to rows whose keys are bytes, and to char(n)", async (base) => {
    await base.run("CREATE TABLE byted (id BINARY(16) PRIMARY KEY, note CHAR(60))");
    for (let at = 0; at < 50; at++) await base.run(`INSERT INTO byted (id) VALUES (UNHEX(MD5('${at}')))`);
    const table = sqlTable(await opened(base), { table: "byted", key: "id" });
    expect(new Set((await readAll(table)).map((row) => row.key)).size).toBe(50);
    expect(await refusalsOf(table)).toEqual([]);
    expect(await base.run("SELECT count(*) AS n FROM byted WHERE note = CONCAT('n ', HEX(id))")).toEqual([{ n: 50 }]);
  });

  onBase("tells a trigger's words, and computed columns and views", async (base) => {
    await base.run(
      "CREATE TABLE strict (id INT PRIMARY KEY, word VARCHAR(20), note VARCHAR(40), made VARCHAR(40) AS (CONCAT(word, '!')) STORED)",
    );
    await base.run("INSERT INTO strict (id) VALUES (1), (2), (3)");
    await base.run(
      "CREATE TRIGGER forbid BEFORE UPDATE ON strict FOR EACH ROW BEGIN IF NEW.id = 2 THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'row 2 is sealed'; END IF; END",
    );
    await base.run("CREATE VIEW summed AS SELECT id, MAX(word) AS note FROM strict GROUP BY id");
    const database = await opened(base);
    expect(await refusalsOf(sqlTable(database, { table: "strict", key: "id" }))).toEqual([
      { rows: 1, keys: ["2"], columns: ["note"], problem: "the database says: row 2 is sealed" },
    ]);
    await expect(sqlTable(database, { table: "strict", key: "id" }).checkWritable!([{ name: "made", freeText: true }])).rejects.toThrow(
      "the database computes it itself",
    );
    await expect(sqlTable(database, { table: "summed", key: "id" }).checkWritable!(NOTE)).rejects.toThrow(
      "it is a view whose rows cannot be changed",
    );
  });
});

describe("SQLite", () => {
  it("takes 1 and '1' for one key, and refuses to guess", async () => {
    const base = bases.sqlite!;
    await base.run("CREATE TABLE loose (id PRIMARY KEY, note TEXT)");
    await base.run("INSERT INTO loose VALUES (1, NULL), ('1', NULL), (2, NULL)");
    const table = sqlTable(await opened(base), { table: "loose", key: "id" });
    await expect(readAll(table)).rejects.toThrow(
      "`id` does not name one row: 1 value stands in more than one, perhaps as a number and as text. Add a column to the key",
    );
    await base.run("DELETE FROM loose WHERE typeof(id) = 'text'");
    await base.run("INSERT INTO loose VALUES (x'00ff', NULL)");
    expect(await refusalsOf(table)).toEqual([]);
    expect((await base.run("SELECT note FROM loose ORDER BY typeof(id), id")).map((row) => row["note"])).toEqual(["n 00FF", "n 1", "n 2"]);
  });

  it("tells a trigger's words, computed columns and views", async () => {
    const base = bases.sqlite!;
    await base.run(
      "CREATE TABLE strict (id INTEGER PRIMARY KEY, word TEXT, note TEXT, made TEXT GENERATED ALWAYS AS (word || '!') VIRTUAL); INSERT INTO strict (id) VALUES (1), (2), (3); CREATE TRIGGER forbid BEFORE UPDATE ON strict WHEN NEW.id = 2 BEGIN SELECT RAISE(ABORT, 'row 2 is sealed'); END; CREATE VIEW shown AS SELECT id, note FROM strict",
    );
    const database = await opened(base);
    const table = sqlTable(database, { table: "strict", key: "id" });
    expect(await refusalsOf(table)).toEqual([{ rows: 1, keys: ["2"], columns: ["note"], problem: "the database says: row 2 is sealed" }]);
    expect(await table.columns()).toContain("made");
    await expect(table.checkWritable!([{ name: "made", freeText: true }])).rejects.toThrow("the database computes it itself");
    await expect(sqlTable(database, { table: "shown", key: "id" }).checkWritable!(NOTE)).rejects.toThrow(
      "it is a view whose rows cannot be changed",
    );
  });
});
