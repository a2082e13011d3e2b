import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { postgresCarrier, postgresLedger, type LedgerDatabase, type LedgerOwner } from "../../src/adapters/postgres-ledger/index.js";
import { openDatabase, plainSql, type Database } from "../../src/adapters/sql/index.js";
import { answer, mark } from "../../src/contracts/ledger/made.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { claim, type CellRecord, type Clock, type Ledger } from "../../src/core/index.js";
import { postgresDatabase, sqliteDatabase, type TestDatabase } from "../helpers/databases.js";

let base: TestDatabase;
const opened: Database[] = [];
beforeAll(async () => {
  base = await postgresDatabase();
});
afterAll(async () => {
  for (const one of opened) await one.close();
  await base.close();
});
let schemas = 0;
const freshSchema = (): string => `s${++schemas}`;

const connect = async (place: TestDatabase["place"] = base.place, clock: Clock = systemClock()): Promise<LedgerDatabase> => {
  const database = await openDatabase({ name: "main", ...place, clock });
  opened.push(database);
  return plainSql(database);
};
interface Ways {
  readonly clock?: Clock;
  readonly owner?: LedgerOwner;
  readonly onNotice?: (text: string) => void;
}
const open = async (schema: string, { clock = systemClock(), owner, onNotice }: Ways = {}): Promise<Ledger> =>
  postgresLedger(await connect(), { schema, clock, owner, onNotice });
/** A clock that goes wrong by some milliseconds. */
const skewed = (by: number): Clock => ({ ...systemClock(), now: () => Date.now() + by });

const cell = (key: string, run = "run1", tone = "calm"): CellRecord => ({
  plan: "p",
  step: "s",
  key,
  state: "filled",
  fingerprint: mark(1),
  values: { tone },
  run,
  at: 5,
});
const charge = { run: "run1", step: "s", model: "m", day: 5, requests: 1, tokensIn: 1, tokensOut: 1, spent: 10, unsure: 0 };

describe("a ledger in PostgreSQL", () => {
  it("is shared: the first answer wins, whoever gives it, and each learns that another has recorded", async () => {
    const schema = freshSchema();
    const [one, two] = [await open(schema), await open(schema)];
    const before = await two.mark();
    await one.record({ answers: [answer(1, "first")], cells: [cell("a")] });
    await two.record({ answers: [answer(1, "second")] });
    expect((await two.answers.find([mark(1)]))[0]!.answer.raw).toBe("first");
    expect(await two.mark()).not.toBe(before);
    const own = await one.mark();
    await one.facts.set("f", 1);
    expect(await one.mark()).toBe(own);
  });

  it("frees what a process held that is no longer seen", async () => {
    const schema = freshSchema();
    const [one, two] = [await open(schema), await open(schema)];
    expect(await claim(one, systemClock(), "fill:p")).toBeTypeOf("function");
    expect(await claim(two, systemClock(), "fill:p")).toBeUndefined();
    const ask = (ledger: Ledger, holder: string) =>
      ledger.charges.reserve({ holder, needs: 900, wants: 900, cap: 1000, since: 0, until: Date.now() + 60_000, now: Date.now() });
    expect(await ask(one, "one")).toBe(900);
    expect(await ask(two, "two")).toBeUndefined();
    await base.run(`UPDATE ${schema}.sessions SET seen = now() - interval '1 minute' WHERE id IN (SELECT session FROM ${schema}.leases)`);
    expect(await two.leases.isTaken("fill:p", Date.now())).toBe(false);
    expect(await claim(two, systemClock(), "fill:p")).toBeTypeOf("function");
    expect(await ask(two, "two")).toBe(900);
  });

  it("forgets what the long dead held, and nothing of the living, when the next one comes", async () => {
    const schema = freshSchema();
    const [dead, living] = [await open(schema), await open(schema)];
    for (const [ledger, name] of [
      [dead, "dead"],
      [living, "living"],
    ] as const) {
      await claim(ledger, systemClock(), `fill:${name}`);
      await ledger.charges.reserve({ holder: name, needs: 1, wants: 1, cap: 9, since: 0, until: Infinity, now: Date.now() });
    }
    await base.run(
      `UPDATE ${schema}.sessions SET seen = now() - interval '1 hour', host = 'elsewhere' WHERE id IN (SELECT session FROM ${schema}.leases WHERE name = 'fill:dead')`,
    );
    await (await open(schema)).facts.get("anything");
    expect(await base.run(`SELECT name FROM ${schema}.leases`)).toEqual([{ name: "fill:living" }]);
    expect(await base.run(`SELECT holder FROM ${schema}.reservations`)).toEqual([{ holder: "living" }]);
  });

  it("goes by the database's clock: machines 90 seconds apart take nothing from one another, and it is told", async () => {
    const schema = freshSchema();
    const notices: string[] = [];
    const [behind, right] = [skewed(-90_000), systemClock()];
    const one = await open(schema, { clock: behind, onNotice: (text) => notices.push(text) });
    const two = await open(schema);
    const minute = (clock: Clock) => ({ until: clock.now() + 60_000, now: clock.now() });
    expect(await one.leases.take(["row"], { holder: "one", ...minute(behind) })).toEqual([true]);
    expect(await two.leases.take(["row"], { holder: "two", ...minute(right) })).toEqual([false]);
    expect(await two.leases.isTaken("row", right.now())).toBe(true);
    await one.leases.release("one", ["row"]);
    expect(await two.leases.take(["row"], { holder: "two", ...minute(right) })).toEqual([true]);
    expect(await one.leases.take(["row"], { holder: "one", ...minute(behind) })).toEqual([false]);
    expect(notices).toEqual([expect.stringMatching(/^This machine's clock is (89|90|91) seconds behind the database's\./)]);
  });

  it("does nothing twice where the answer to a commit was lost", async () => {
    const schema = freshSchema();
    const inner = await connect();
    let lost = 0;
    const losing: LedgerDatabase = {
      ...inner,
      // The work is done, its answer is lost, and it is done again.
      patiently: async (work) => {
        const result = await inner.patiently(work);
        if (lost++ % 2 === 0) return result;
        return inner.patiently(work);
      },
    };
    const ledger = postgresLedger(losing, { schema, clock: systemClock() });
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    for (let n = 0; n < 6; n++)
      await ledger.record({
        charges: [charge],
        cells: [cell(`k${n}`)],
        decisions: [{ act: `a${n}`, plan: "p", step: "s", key: "k", column: "tone", how: "accept", judged: "x", by: "kea", at: 1 }],
      });
    await ledger.runs.end({ id: "run1", endedAt: 2, end: "done", tally: {} });
    expect((await ledger.charges.of("p"))[0]).toMatchObject({ requests: 6, spent: 60 });
    expect((await ledger.runs.find("fill", "p", 1))[0]!.cells).toBe(6);
    expect(await ledger.decisions.of("p", "s", "k")).toHaveLength(6);
  });

  it("is written by several at once, in whatever order, and none is in the other's way", async () => {
    const schema = freshSchema();
    const ledgers = await Promise.all([1, 2, 3].map(() => open(schema)));
    const keys = Array.from({ length: 60 }, (_, index) => `k${index}`);
    await Promise.all(
      ledgers.map(async (ledger, nr) => {
        for (let round = 0; round < 15; round++) {
          const order = nr % 2 === 0 ? keys : keys.toReversed();
          await Promise.all(
            order.map((key) =>
              ledger.record({
                answers: [answer(Number(key.slice(1)) + 100)],
                cells: [cell(key, `run${nr}`, `t${nr}`)],
                charges: [{ ...charge, spent: 1 }],
              }),
            ),
          );
        }
      }),
    );
    await ledgers[0]!.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    expect((await ledgers[0]!.cells.find("p", "s", keys)).size).toBe(60);
    expect(await ledgers[1]!.charges.since(0)).toBe(3 * 15 * 60);
  });

  it("keeps keys that its texts cannot hold, each for itself", async () => {
    const ledger = await open(freshSchema());
    const odd = ["plain", "zero \0 inside", "half \ud83d", "half \ud83e", "\u0001[]", "日本 😀", ""];
    await ledger.record({ cells: odd.map((key, index) => cell(key, "run1", `v${index}\0\ud83d`)) });
    const found = await ledger.cells.find("p", "s", odd);
    expect(odd.map((key) => found.get(key)?.values["tone"])).toEqual(odd.map((_, index) => `v${index}\0\ud83d`));
    const all: string[] = [];
    for await (const some of ledger.cells.all()) all.push(...some.map(({ key }) => key));
    expect(all.sort()).toEqual([...odd].sort());
  });

  it("tells of a newer format, of another database, and of one that is not there", async () => {
    const schema = freshSchema();
    await (await open(schema)).facts.set("f", 1);
    await base.run(`INSERT INTO ${schema}.format (number) VALUES (99)`);
    await expect((await open(schema)).facts.get("f")).rejects.toThrow(
      /s\d+ in the database main was written by a newer Yoroshi \(ledger format 99/,
    );
    const sqlite = sqliteDatabase();
    const wrong = postgresLedger(await connect(sqlite.place), { schema, clock: systemClock() });
    await expect(wrong.facts.get("f")).rejects.toThrow(/a ledger is kept in PostgreSQL, and this is another database/);
    const away = postgresLedger(await connect({ url: "postgresql://nobody@127.0.0.1:1/none" }), { schema, clock: systemClock() });
    await expect(away.facts.get("f")).rejects.toThrow(/The database main cannot be used/);
    await sqlite.close();
  });

  it("belongs to one project, on however many machines", async () => {
    const schema = freshSchema();
    const project = (id: string | undefined, plans: string[]) => {
      const kept: string[] = [];
      return { kept, owner: { id, plans: async () => plans, keep: (one: string) => void kept.push(one) } };
    };
    const first = project(undefined, ["triage", "gauges"]);
    await (await open(schema, { owner: first.owner })).facts.set("f", 1);
    expect(first.kept).toHaveLength(1);
    const elsewhere = project(undefined, ["gauges", "new"]);
    await (await open(schema, { owner: elsewhere.owner })).facts.set("f", 2);
    expect(elsewhere.kept).toEqual(first.kept);
    const again = project(first.kept[0], ["renamed"]);
    await (await open(schema, { owner: again.owner })).facts.set("f", 3);
    expect(again.kept).toEqual([]);
    const stranger = await open(schema, { owner: project(undefined, ["invoices"]).owner });
    await expect(stranger.facts.set("f", 4)).rejects.toThrow(
      /it is another project's, with the plans triage, gauges, new, renamed\. Give this one a schema of its own/,
    );
    const other = await open(schema, { owner: project("other-id", ["triage"]).owner });
    await expect(other.facts.get("f")).rejects.toThrow(/another project's/);
  });

  it("is carried whole, and says who holds it", async () => {
    const schema = freshSchema();
    const ledger = await open(schema);
    await ledger.record({ answers: [answer(3), answer(2)], cells: [cell("b"), cell("a")] });
    const letGo = await claim(ledger, systemClock(), "fill:p");
    const carrier = postgresCarrier(await connect(), schema);
    expect([await carrier.held(), await carrier.state()]).toEqual([["fill:p"], "kept"]);
    await letGo!();
    expect(await carrier.held()).toEqual([]);
    const prints: unknown[] = [];
    for await (const rows of carrier.rows("answers")) prints.push(...rows.map((row) => row[0]));
    expect(prints).toEqual([mark(2), mark(3)]);
    await carrier.begin();
    expect(await carrier.state()).toBe("unfinished");
    await carrier.finish();
    expect(await carrier.state()).toBe("empty");
  });
});
