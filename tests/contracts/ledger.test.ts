import { spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import Database from "better-sqlite3";
import { afterAll, beforeEach, describe, expect, it } from "vitest";
import { MIGRATIONS } from "../../src/adapters/sqlite-ledger/migrations.js";
import { sqliteLedger } from "../../src/adapters/sqlite-ledger/index.js";
import {
  claim,
  dayOf,
  memoryLedger,
  monthStart,
  type AnswerRecord,
  type CellRecord,
  type Charge,
  type Ledger,
} from "../../src/core/index.js";
import { fakeClock } from "../helpers/clock.js";

const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-ledger-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
let files = 0;
const freshFile = (): string => path.join(folder, `l${++files}`, "ledger.sqlite");

const mark = (n: number): string => n.toString(16).padStart(64, "0");
const answer = (n: number, raw = "{}"): AnswerRecord => ({
  fingerprint: mark(n),
  template: "t",
  version: 1,
  model: "m",
  run: "run1",
  at: 5,
  answer: {
    state: "answered",
    parts: { tone: "calm", list: ["é", "\n"] },
    raw,
    notes: ["fenced"],
    asks: 1,
    usage: { tokensIn: 3, tokensOut: 4 },
    spent: 7,
    tookMs: 9,
  },
});
const cell = (key: string, more: Partial<CellRecord> = {}): CellRecord => ({
  plan: "p",
  step: "s",
  key,
  state: "filled",
  reason: undefined,
  fingerprint: mark(1),
  values: { tone: "calm", level: 3, ok: true },
  edited: undefined,
  run: "run1",
  at: 5,
  ...more,
});

describe.each([
  ["memory", () => memoryLedger()],
  ["sqlite", () => sqliteLedger(freshFile())],
])("ledger contract: %s", (_, make) => {
  let ledger: Ledger;
  beforeEach(() => (ledger = make()));

  it("gives answers back by fingerprint, in order, the first one kept unless replaced", async () => {
    await Promise.all([
      ledger.record({ answers: [answer(1)] }),
      ledger.record({ answers: [answer(2)] }),
      ledger.record({ answers: [answer(1, "later")] }),
    ]);
    expect(await ledger.answers.find([mark(2), mark(9), mark(1)])).toEqual([answer(2), undefined, answer(1)]);
    await ledger.record({ answers: [answer(1, "asked afresh")], replace: true });
    expect((await ledger.answers.find([mark(1)]))[0]!.answer.raw).toBe("asked afresh");
    expect(await ledger.answers.find([])).toEqual([]);
  });

  it("lets one at a time claim a name", async () => {
    const clock = fakeClock();
    const letGo = await claim(ledger, clock, "fill:p");
    expect(letGo).toBeTypeOf("function");
    expect(await claim(ledger, clock, "fill:p")).toBeUndefined();
    expect(await claim(ledger, clock, "fill:other")).toBeTypeOf("function");
    await letGo!();
    expect(await claim(ledger, clock, "fill:p")).toBeTypeOf("function");
  });

  it("gives names on lease, each to one holder, until it lets go, records, or its time is over", async () => {
    const one = { holder: "one", until: 100, now: 10 };
    const two = { holder: "two", until: 200, now: 20 };
    expect(await ledger.leases.take(["a", "b"], one)).toEqual([true, true]);
    expect(await ledger.leases.take(["b", "c"], two)).toEqual([false, true]);
    expect(await ledger.leases.take(["a"], { ...one, until: 150 })).toEqual([true]);
    await ledger.record({ answers: [answer(1)], holder: "two", release: ["b", "c"] });
    expect(await ledger.leases.take(["b", "c"], { ...two, holder: "three" })).toEqual([false, true]);
    await ledger.leases.release("one", ["b"]);
    expect(await ledger.leases.take(["b", "a"], two)).toEqual([true, false]);
    expect(await ledger.leases.take(["a"], { ...two, now: 151 })).toEqual([true]);
    expect(await ledger.leases.take([], two)).toEqual([]);
  });

  it("never grants more room below a cap than there is, whoever reserves and is charged", async () => {
    const ask = (holder: string, needs: number, wants = needs, now = 0): Promise<number | undefined> =>
      ledger.charges.reserve({ holder, needs, wants, cap: 1_000, since: 5, until: 100, now });
    const charge = (spent: number, unsure = 0, day = 5): Charge => ({
      run: "r",
      step: "s",
      model: "m",
      day,
      requests: 1,
      tokensIn: 1,
      tokensOut: 1,
      spent,
      unsure,
    });
    await ledger.record({ charges: [charge(9_000, 0, 4), charge(100, 50)] });
    expect(await ask("one", 400)).toBe(400);
    expect(await ask("two", 451)).toBeUndefined();
    // Of the 450 that are left, the need and a tenth of the rest.
    expect(await ask("two", 50, 500)).toBe(50 + 40);
    expect(await ask("one", 761)).toBeUndefined();
    expect(await ask("one", 760)).toBe(760);
    await ledger.record({ charges: [charge(300, 60)], holder: "one" });
    // What was charged is no longer reserved: 510 charged, 400 held.
    expect(await ask("two", 91)).toBeUndefined();
    await ledger.charges.release("one");
    expect(await ask("two", 490)).toBe(490);
    expect(await ask("three", 1)).toBeUndefined();
    expect(await ask("three", 490, 490, 101)).toBe(490);
  });

  it("sets a fact only where it is what the caller knows of it", async () => {
    expect(await ledger.facts.swap("f", { a: 1 }, 2)).toBe(false);
    expect(await ledger.facts.swap("f", undefined, { a: 1, b: [null] })).toBe(true);
    expect(await ledger.facts.swap("f", undefined, 3)).toBe(false);
    expect(await ledger.facts.swap("f", { b: [null], a: 1 }, 3)).toBe(true);
    expect(await ledger.facts.get("f")).toBe(3);
  });

  it("adds up what requests cost by model and step, and tells it by subject and by day", async () => {
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    const first = answer(1).answer;
    const about = { run: "run1", step: "s", model: "m", day: dayOf(Date.UTC(2026, 1, 28, 23)), requests: 1, unsure: 0 };
    await ledger.record({ charges: [{ ...about, ...first.usage, spent: first.spent }] });
    await ledger.record({
      charges: [
        { ...about, tokensIn: 5, tokensOut: 1, spent: 2 },
        { ...about, model: "dear", tokensIn: 5, tokensOut: 1, spent: 10 },
      ],
    });
    await ledger.record({
      charges: [
        {
          run: "run1",
          step: "",
          model: "m",
          day: dayOf(Date.UTC(2026, 2, 1)),
          requests: 0,
          tokensIn: 0,
          tokensOut: 0,
          spent: 1,
          unsure: 30,
        },
      ],
    });
    expect(await ledger.charges.of("p")).toEqual([
      { model: "dear", step: "s", requests: 1, tokensIn: 5, tokensOut: 1, spent: 10, unsure: 0 },
      { model: "m", step: "", requests: 0, tokensIn: 0, tokensOut: 0, spent: 1, unsure: 30 },
      {
        model: "m",
        step: "s",
        requests: first.asks + 1,
        tokensIn: first.usage.tokensIn + 5,
        tokensOut: first.usage.tokensOut + 1,
        spent: first.spent + 2,
        unsure: 0,
      },
    ]);
    expect(await ledger.charges.of("other")).toEqual([]);
    expect(await ledger.charges.since(monthStart(Date.UTC(2026, 2, 31)))).toBe(31);
    expect(await ledger.charges.since(monthStart(Date.UTC(2026, 1, 1)))).toBe(31 + 12 + first.spent);
  });

  it("gives every answer and cell out, and forgets old answers that no cell rests on", async () => {
    const many = Array.from({ length: 1_200 }, (_, index) => ({ ...answer(index + 1), at: index }));
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    await ledger.record({
      answers: many,
      cells: [cell("a"), cell("b", { plan: "q", fingerprint: mark(700) }), cell("", { fingerprint: undefined })],
    });
    const all: AnswerRecord[] = [];
    for await (const some of ledger.answers.all()) all.push(...some);
    expect(all).toEqual(many);
    const cells: CellRecord[] = [];
    for await (const some of ledger.cells.all()) cells.push(...some);
    expect(cells.map(({ plan, key }) => `${plan} ${key}`).sort()).toEqual(["p ", "p a", "q b"]);
    expect(await ledger.answers.prune({ before: 1_000, subject: "other" })).toBe(0);
    expect(await ledger.answers.prune({ before: 1_000, subject: "p" })).toBe(998);
    expect((await ledger.answers.find([mark(1), mark(2), mark(700), mark(1_100)])).map((record) => record !== undefined)).toEqual([
      true,
      false,
      true,
      true,
    ]);
  });

  it("keeps cells by plan, step and key", async () => {
    const odd = cell("ключ \"'\n", {
      state: "failed",
      reason: "x",
      fingerprint: undefined,
      values: {},
      edited: { tone: "mine" },
      notes: ["settled by rule 1"],
    });
    await ledger.record({ cells: [cell("a"), odd, cell("b")] });
    await ledger.record({ cells: [cell("a", { plan: "other", state: "skipped" })] });
    expect([...(await ledger.cells.find("p", "s", ["a", odd.key, "zzz"])).values()]).toEqual(expect.arrayContaining([cell("a"), odd]));
    expect(await ledger.cells.find("p", "nope", ["a"])).toEqual(new Map());
  });

  it("numbers versions by content", async () => {
    const first = await ledger.versions.of("t", { hash: "h1", text: "one", at: 1 });
    const second = await ledger.versions.of("t", { hash: "h2", text: "two", at: 2 });
    expect([first.version, second.version, (await ledger.versions.of("t", { hash: "h1", text: "one", at: 3 })).version]).toEqual([1, 2, 1]);
    expect(await ledger.versions.of("u", { hash: "h1", text: "one", at: 1 })).toMatchObject({ version: 1 });
    expect((await ledger.versions.all("t")).map((version) => version.text)).toEqual(["one", "two"]);
  });

  it("lists runs newest first, sums what they spent, and keeps notes", async () => {
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    await ledger.runs.start({ id: "run2", kind: "fill", subject: "p", startedAt: 2 });
    await ledger.runs.start({ id: "run3", kind: "trial", subject: "p", startedAt: 3 });
    await ledger.runs.end({ id: "run2", endedAt: 9, end: "done", tally: { rows: 3 } });
    await Promise.all([ledger.record({ answers: [answer(1)] }), ledger.record({ answers: [answer(2)] })]);
    expect(await ledger.runs.find("fill", "p", 5)).toEqual([
      { id: "run2", kind: "fill", subject: "p", startedAt: 2, endedAt: 9, end: "done", tally: { rows: 3 } },
      { id: "run1", kind: "fill", subject: "p", startedAt: 1 },
    ]);
    expect(await ledger.facts.get("n")).toBeUndefined();
    await ledger.facts.set("n", { a: [1] });
    await ledger.facts.set("n", { a: [2] });
    expect(await ledger.facts.get("n")).toEqual({ a: [2] });
    await ledger.flush();
    await ledger.close();
  });
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
    dead.prepare("INSERT INTO reservations VALUES ('gone', ?, 1000, 9e15)").run(child.pid);
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
