import { spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import Database from "better-sqlite3";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { MIGRATIONS } from "../../src/adapters/sqlite-ledger/migrations.js";
import { postgresLedger } from "../../src/adapters/postgres-ledger/index.js";
import { openDatabase, plainSql, type Database as SqlDatabase } from "../../src/adapters/sql/index.js";
import { sqliteLedger } from "../../src/adapters/sqlite-ledger/index.js";
import { claim, memoryLedger, type Ledger } from "../../src/core/index.js";
import { ledgerContract } from "../../src/contracts/index.js";
import { answer, cell, mark } from "../../src/contracts/ledger/made.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { fakeClock } from "../helpers/clock.js";
import { postgresDatabase, type TestDatabase } from "../helpers/databases.js";

const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-ledger-"));
let postgres: TestDatabase;
/** Connections that a ledger of a test opened. */
const opened: Promise<SqlDatabase>[] = [];
beforeAll(async () => {
  postgres = await postgresDatabase();
});
afterAll(async () => {
  for (const database of opened) await (await database).close();
  await postgres.close();
  rmSync(folder, { recursive: true, force: true });
});
let schemas = 0;
/** A ledger in a schema of the test's database; the connections are made when they are first used. */
const inPostgres = (schema = `l${++schemas}`, onNotice: (text: string) => void = () => undefined): Ledger => {
  const clock = systemClock();
  const database = openDatabase({ name: "main", ...postgres.place, clock });
  opened.push(database);
  return postgresLedger(
    {
      name: "main",
      patiently: async (work) => plainSql(await database).patiently(work),
      close: async () => (await database).close(),
    },
    { schema, clock, onNotice },
  );
};
let files = 0;
const freshFile = (): string => path.join(folder, `l${++files}`, "ledger.sqlite");

describe.each([
  ["memory", () => memoryLedger()],
  ["sqlite", () => sqliteLedger(freshFile())],
  ["postgres", () => inPostgres()],
])("ledger contract: %s", (_, make) => {
  it.each(ledgerContract(make).map(({ name, run }) => [name, run] as const))("%s", (_name, run) => run());

  it("lets one at a time claim a name", async () => {
    const [ledger, clock] = [make(), fakeClock()];
    const letGo = await claim(ledger, clock, "fill:p");
    expect(letGo).toBeTypeOf("function");
    expect(await claim(ledger, clock, "fill:p")).toBeUndefined();
    expect(await claim(ledger, clock, "fill:other")).toBeTypeOf("function");
    await letGo!();
    expect(await claim(ledger, clock, "fill:p")).toBeTypeOf("function");
  });
});

it("a ledger that breaks its contract is told so, case by case", async () => {
  const broken = (): Ledger => {
    const ledger = memoryLedger();
    return { ...ledger, answers: { ...ledger.answers, find: async (marks) => (await ledger.answers.find(marks)).toReversed() } };
  };
  const told = await Promise.all(
    ledgerContract(broken).map(({ name, run }) =>
      run().then(
        () => undefined,
        (error: Error) => `${name}: ${error.message}`,
      ),
    ),
  );
  expect(told[0]).toMatch(/^gives answers back by fingerprint.*: answers: expected .*, found /);
  expect(told.filter((one) => one !== undefined).length).toBeLessThan(4);
});

describe("the SQLite ledger's file", () => {
  it("is shared by two processes' connections, and survives being opened again", async () => {
    const file = freshFile();
    const [one, two] = [sqliteLedger(file), sqliteLedger(file)];
    await Promise.all([one.record({ answers: [answer(1)] }), two.record({ answers: [answer(2)] })]);
    expect((await two.answers.find([mark(1)]))[0]).toEqual(answer(1));
    await one.close();
    await two.close();
    expect(await sqliteLedger(file).answers.find([mark(1), mark(2)])).toEqual([answer(1), answer(2)]);
  });

  it("takes over what a process held that died", async () => {
    const file = freshFile();
    const ledger = sqliteLedger(file);
    const child = spawnSync(process.execPath, ["-e", ""]);
    const dead = new Database(file);
    dead.prepare("INSERT INTO leases VALUES ('fill:p', 'gone', ?, 9e15)").run(child.pid);
    dead.prepare("INSERT INTO reservations (holder, process, amount, until) VALUES ('gone', ?, 1000, 9e15)").run(child.pid);
    dead.close();
    expect(await claim(ledger, fakeClock(), "fill:p")).toBeTypeOf("function");
    expect(await ledger.charges.reserve({ holder: "new", needs: 1_000, wants: 1_000, cap: 1_000, since: 0, until: 9, now: 0 })).toBe(1_000);
  });

  it("refuses a newer format and a damaged file in clear words", () => {
    const newer = freshFile();
    void sqliteLedger(newer).close();
    const db = new Database(newer);
    db.pragma("user_version = 99");
    db.close();
    expect(() => sqliteLedger(newer)).toThrow(/written by a newer Yoroshi \(ledger format 99/);
    const damaged = path.join(folder, "damaged.sqlite");
    writeFileSync(damaged, "this is not a database, it is a text".repeat(100));
    expect(() => sqliteLedger(damaged)).toThrow(/cannot be used: it is damaged/);
  });

  it("raises an older format and keeps a copy of the file as it was", async () => {
    const file = freshFile();
    mkdirSync(path.dirname(file), { recursive: true });
    const old = new Database(file);
    for (const step of MIGRATIONS.slice(0, 3)) old.exec(step);
    old.pragma("user_version = 3");
    const { fingerprint, template, version, model, run, at, answer: own } = answer(1);
    old
      .prepare("INSERT INTO answers (fingerprint, template, version, model, run, at, spent, answer) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
      .run(Buffer.from(fingerprint, "hex"), template, version, model, run, at, own.spent, JSON.stringify(own));
    old.prepare("INSERT INTO runs (id, kind, subject, started) VALUES (?, 'fill', 'p', 1)").run(run);
    old.close();
    const ledger = sqliteLedger(file);
    expect(await ledger.answers.find([mark(1)])).toEqual([answer(1)]);
    expect(await ledger.charges.of("p")).toMatchObject([{ model, step: "", spent: own.spent }]);
    await ledger.close();
    const copy = new Database(`${file}.format-3`, { readonly: true });
    expect([copy.pragma("user_version", { simple: true }), copy.prepare("SELECT count(*) AS n FROM answers").get()]).toEqual([3, { n: 1 }]);
    copy.close();
  });

  it("takes at most 600 bytes a cell above the stored reply", async () => {
    const file = freshFile();
    const ledger = sqliteLedger(file);
    const raw = JSON.stringify({ why: "x".repeat(200), tone: "calm" });
    const count = 4000;
    for (let i = 0; i < count; i++)
      void ledger.record({
        answers: [
          {
            ...answer(i * 7919, raw),
            basis: { template: "0a1b2c", "reference hazards": "0a1b2c", model: "standin-small of standin", "input report": "0a1b2c" },
            run: "20261123T081926-b85f94",
          },
        ],
      });
    await ledger.record({
      cells: Array.from({ length: count }, (_, i) =>
        cell(`R-${i}`, { fingerprint: mark(i * 7919), values: { a: "mooring", b: 3, c: "yes" }, run: "20261123T081926-b85f94" }),
      ),
    });
    await ledger.flush();
    await ledger.close();
    expect(statSync(file).size / (count * 3) - raw.length / 3).toBeLessThan(600);
  });
});

it("the SQLite ledger keeps what the last ten fills of a plan that changed something have replaced, and no more", async () => {
  const file = freshFile();
  const ledger = sqliteLedger(file);
  const round = async (plan: string, number: number, changes: boolean): Promise<void> => {
    const run = `${plan}-${String(number).padStart(2, "0")}`;
    await ledger.runs.start({ id: run, kind: "fill", subject: plan, startedAt: number });
    if (changes)
      await ledger.record({
        cells: [cell("a", { plan, run, values: { level: number } }), cell("b", { plan, run, values: { level: number } })],
      });
    await ledger.runs.end({ id: run, endedAt: number, end: "done", tally: {} });
  };
  for (let number = 1; number <= 30; number++) await round("p", number, number % 2 === 1);
  await round("other", 1, true);
  await round("other", 2, true);
  // Another plan's fills take nothing away; a person's change is kept with the fill whose value it replaced.
  await ledger.record({ cells: [cell("a", { plan: "p", run: "review", values: { level: 99 } })] });
  for (let number = 3; number <= 9; number++) await round("other", number, false);
  const all = async (run: string): Promise<unknown[]> => {
    const found: unknown[] = [];
    for await (const some of ledger.cells.changedBy(run, "p"))
      for (const { after, before } of some) found.push([after.key, after.values["level"], before?.values["level"] ?? null]);
    return found;
  };
  expect(await all("p-29")).toEqual([
    ["b", 29, 27],
    ["a", 29, 27],
  ]);
  expect(await all("p-13")).toHaveLength(2);
  expect(await all("p-05")).toEqual([]);
  await ledger.close();
  const db = new Database(file);
  expect(
    db.prepare("SELECT count(*) FROM replaced WHERE place IN (SELECT id FROM places WHERE plan = 'p')").pluck().get(),
  ).toBeLessThanOrEqual(23);
  db.close();
});
