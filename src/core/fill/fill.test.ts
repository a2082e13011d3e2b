import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, plainFences, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import type { Asking } from "../asking/index.js";
import { survey, type FillOptions, type FillSetup } from "../cells/index.js";
import { memoryLedger, type Ledger } from "../ledger/index.js";
import { ModelFailure } from "../model/index.js";
import { plan as makePlan } from "../plan/index.js";
import { memoryRelated, memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { fill } from "./fill.js";
import { preview } from "./preview.js";
import { messageText } from "../ground/index.js";

const tone = template({
  name: "tone",
  inputs: { note: { kind: "text", maxChars: 30 } },
  task: "{{ note }}",
  answer: { why: { kind: "text" }, tone: { kind: "choice", options: ["calm", "upset"] }, level: { kind: "score", from: 1, to: 5 } },
});
const plan = makePlan({
  name: "tones",
  table: { file: "t.csv", key: "id" },
  steps: {
    tone: {
      template: "tone",
      inputs: { note: "text" },
      fill: { tone: "tone", level: "level", because: "why" },
      when: 'row.kind != "internal"',
    },
  },
  limits: { atOnce: 4 },
});

const reply = (note: string): string => JSON.stringify({ why: `=${note}`, tone: note.includes("!") ? "upset" : "calm", level: 3 });
const goodModel = (options = {}): ScriptedModel => scriptedModel((request) => reply(fenced(request, "note")), options);
const rows = (...notes: string[]) => notes.map((text, index) => ({ id: `r${index + 1}`, kind: "", text }));

interface World extends FillSetup {
  readonly model: ScriptedModel;
  readonly table: MemoryTable;
  readonly ledger: Ledger;
}

/** A plan's only step asks this. */
const asks = (model: ScriptedModel, prepared: Asking["prepared"] = prepare(tone) as never, step = "tone"): Record<string, Asking> => ({
  [step]: { prepared, version: 1, model },
});
const world = (table: MemoryTable, model = goodModel(), ledger = memoryLedger()): World => ({
  plan,
  table,
  asking: asks(model),
  model,
  ledger,
  clock: fakeClock(),
});
const tableOf = (...notes: string[]): MemoryTable => memoryTable(rows(...notes), { key: "id" });

describe("a fill", () => {
  it("asks for each row, records, then writes typed and harmless values", async () => {
    const one = world(tableOf("fine", "no!"));
    const report = await fill(one);
    expect(report).toMatchObject({
      rows: 2,
      asked: 2,
      filled: 2,
      failed: 0,
      tokensIn: 200,
      tokensOut: 20,
      spent: 220,
      end: "done",
      written: true,
    });
    expect(one.table.rows).toEqual([
      { id: "r1", kind: "", text: "fine", tone: "calm", level: "3", because: "'=fine" },
      { id: "r2", kind: "", text: "no!", tone: "upset", level: "3", because: "'=no!" },
    ]);
  });

  it("brings the ledger to the disk before a table is written, and not the other way round", async () => {
    const order: string[] = [];
    const ledger = memoryLedger();
    const table = tableOf("a", "b");
    const one = world({ ...table, write: async (...given) => (order.push("write"), table.write(...given)) }, goodModel(), {
      ...ledger,
      flush: async () => {
        await ledger.flush();
        order.push("flush");
      },
    });
    await fill(one);
    expect(order.slice(0, order.indexOf("write") + 1)).toEqual(["flush", "write"]);
  });

  it("fills a column that is added later from what is known, also where only blank cells are to be filled", async () => {
    const one = world(tableOf("a", "b!"));
    const fewer = makePlan({ ...plan, steps: { tone: { ...plan.steps["tone"]!, fill: { tone: "tone" } } } as never });
    await fill({ ...one, plan: fewer });
    expect(one.table.rows[0]).not.toHaveProperty("level");
    expect(await fill(one, { refill: "blank" })).toMatchObject({ asked: 0, filled: 2, stale: 0, written: true });
    expect(one.table.rows.map(({ level, tone: now }) => [level, now])).toEqual([
      ["3", "calm"],
      ["3", "upset"],
    ]);
  });

  it("that is stopped before it begins says so, also where nothing was left to do", async () => {
    const one = world(tableOf("a", "b"));
    expect(await fill(one)).toMatchObject({ end: "done", filled: 2 });
    const stop = new AbortController();
    stop.abort();
    expect(await fill(one, { stop: stop.signal })).toMatchObject({ end: "interrupted", asked: 0 });
    expect(await fill(one)).toMatchObject({ end: "done", filled: 2, asked: 0 });
  });

  it("records before it writes: a table that fails loses nothing and asks nothing again (law 1)", async () => {
    const one = world(tableOf("a", "b", "c"));
    const broken = { ...one.table, write: () => Promise.reject(new Error("disk gone")) };
    await expect(fill({ ...one, table: broken })).rejects.toThrow("disk gone");
    expect(await fill(one)).toMatchObject({ asked: 0, reused: 3, filled: 3, written: true });
    expect(one.table.rows.map((row) => row["tone"])).toEqual(["calm", "calm", "calm"]);
  });

  it("never asks the same twice: doubles in one run, a second run, another plan's answer (law 2)", async () => {
    const one = world(tableOf("same", "same", "other", "same"));
    expect(await fill(one)).toMatchObject({ asked: 2, reused: 2, filled: 4, spent: 220 });
    expect(await fill(one)).toMatchObject({ asked: 0, reused: 4, filled: 4, spent: 0, written: false });
    const elsewhere = { ...world(tableOf("other"), one.model, one.ledger), plan: { ...plan, name: "else" } };
    expect(await fill(elsewhere)).toMatchObject({ asked: 0, reused: 1, filled: 1 });
    expect(one.model.requests).toHaveLength(2);
  });

  it("never asks the same twice, however rows repeat and replies are delayed", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.constantFrom("a", "b", "c", "d", "e!", ""), { maxLength: 40 }),
        fc.array(fc.nat(6), { minLength: 1 }),
        fc.integer({ min: 1, max: 9 }),
        async (notes, delays, limit) => {
          const model = scriptedModel(async (request, index) => {
            for (let i = 0; i < delays[index % delays.length]!; i++) await new Promise((resolve) => setImmediate(resolve));
            return reply(fenced(request, "note"));
          });
          const one = { ...world(tableOf(...notes), model), plan: { ...plan, limits: { atOnce: limit } } };
          const report = await fill(one);
          const blanks = notes.filter((note) => note === "").length;
          expect(model.requests).toHaveLength(new Set(notes.filter((note) => note !== "")).size);
          expect(model.mostAtOnce).toBeLessThanOrEqual(limit);
          expect(report).toMatchObject({ rows: notes.length, skipped: blanks, filled: notes.length - blanks });
          for (const row of one.table.rows) expect(row["because"] ?? "").toBe(row["text"] === "" ? "" : `'=${row["text"]}`);
        },
      ),
      { numRuns: 60 },
    );
  });

  it("keeps what a person wrote, and says so; a cleared cell is blank again (law 3)", async () => {
    const one = world(tableOf("a", "b", "c"));
    await fill(one);
    one.table.rows[0]!["tone"] = "cheerful";
    one.table.rows[1]!["level"] = "";
    one.table.rows[2]!["text"] = "changed";
    one.table.rows[2]!["because"] = "=MINE()";
    expect(await fill(one)).toMatchObject({ asked: 1, newEdits: 2, filled: 3 });
    expect(one.table.rows.map(({ tone: t, level, because }) => [t, level, because])).toEqual([
      ["cheerful", "3", "'=a"],
      ["calm", "3", "'=b"],
      ["calm", "3", "=MINE()"],
    ]);
    expect((await survey(one)).columns["tone"]).toEqual({ filled: 2, edited: 1 });
    expect(await fill(one, { refill: "all" })).toMatchObject({ asked: 3, newEdits: 0 });
    expect(one.table.rows[0]!["tone"]).toBe("cheerful");
    await fill(one, { overwrite: ["tone"], only: ["r1"], refill: "all" });
    expect(one.table.rows[0]!["tone"]).toBe("calm");
  });

  it("keeps values that stood in the column before it ever filled it", async () => {
    const one = world(
      memoryTable(
        [
          { id: "r1", kind: "", text: "a", tone: "upset", level: "5", because: "mine" },
          { id: "r2", kind: "", text: "b", tone: "", level: "", because: "" },
        ],
        { key: "id" },
      ),
    );
    expect(await fill(one)).toMatchObject({ rows: 2, edited: 1, filled: 1, asked: 1 });
    expect(one.table.rows[0]).toMatchObject({ tone: "upset", level: "5" });
  });

  it("gives every empty cell its reason (law 6)", async () => {
    const model = scriptedModel((request) =>
      fenced(request, "note") === "bad" ? { finish: "refused" as const } : fenced(request, "note") === "odd" ? "nonsense" : reply("x"),
    );
    const table = memoryTable([...rows("fine", " ", "x".repeat(31), "bad", "odd"), { id: "r6", kind: "internal", text: "a" }], {
      key: "id",
    });
    const one = world(table, model);
    expect(inWords(await fill(one))).toMatchObject({ rows: 6, filled: 1, skipped: 2, failed: 3 });
    const { reasons, columns } = await survey(one);
    expect(inWords(reasons.map(({ state, reason, keys }) => [state, reason, keys[0]]))).toEqual([
      ["skipped", "note is blank", "r2"],
      ["failed", "note has 31 characters, at most 30 are allowed", "r3"],
      ["failed", "the model refused", "r4"],
      ["failed", "the answer did not fit, nor did the second try: the reply has no JSON object", "r5"],
      ["skipped", "the condition does not hold", "r6"],
    ]);
    expect(columns["tone"]).toEqual({ filled: 1, skipped: 2, failed: 3 });
    expect(await fill(one)).toMatchObject({ asked: 0, failed: 3 });
    expect(await fill(one, { refill: "failed" })).toMatchObject({ asked: 2, failed: 3 });
  });

  it("never passes its spend cap, says that it stopped there, and goes on (law 7)", async () => {
    const one = world(tableOf("a", "b", "c", "d", "e", "f"));
    const cap = Math.ceil((await preview(one, {}, (text) => text.length)).dearest / 12) + 250; // room for one request, and what three cost
    const report = await fill(one, { spendCap: cap });
    expect(report.end).toBe("spendCap");
    expect(report.spent + report.unsure).toBeLessThanOrEqual(cap);
    expect(report.asked).toBeGreaterThan(0);
    expect(report).toMatchObject({ rows: 6, blank: 6 - report.asked });
    expect(await fill(one)).toMatchObject({ end: "done", asked: 6 - report.asked, reused: report.asked, filled: 6 });
  });

  it("reports what replies cost, also where the cap leaves no room to ask once more", async () => {
    const one = world(
      tableOf("a"),
      scriptedModel(() => ({ text: "nonsense", usage: { tokensIn: 300, tokensOut: 100 } })),
    );
    const cap = Math.ceil((await preview(one, {}, (text) => text.length)).dearest / 2) + 100;
    expect(await fill(one, { spendCap: cap })).toMatchObject({ end: "spendCap", asked: 0, blank: 1, spent: 400 });
  });

  it("reads no further than it can ask: memory rests on the rows in flight (law 8)", async () => {
    let read = 0;
    const release: (() => void)[] = [];
    const chunk = 50;
    const endless = {
      ...tableOf("a"),
      async *read() {
        for (;;) {
          const from = read;
          read += chunk;
          yield {
            rows: Array.from({ length: chunk }, (_, i) => ({
              key: `k${from + i}`,
              place: "",
              values: { id: `k${from + i}`, kind: "", text: `note ${from + i}` },
            })),
            share: 0,
          };
        }
      },
    };
    const stop = new AbortController();
    const model = scriptedModel(async (request) => {
      await new Promise<void>((resolve) => release.push(resolve));
      return reply(fenced(request, "note"));
    });
    const running = fill({ ...world(tableOf("a"), model), table: endless }, { stop: stop.signal });
    const ticks = async (): Promise<void> => {
      for (let i = 0; i < 200; i++) await new Promise((resolve) => setImmediate(resolve));
    };
    await ticks();
    expect([release.length, read]).toEqual([4, 2 * chunk]); // four at once; the chunk at work and the one ahead
    for (let i = 0; i < 60; i++) {
      release.shift()?.();
      await new Promise((resolve) => setImmediate(resolve));
    }
    await ticks();
    expect(read).toBeLessThanOrEqual(3 * chunk);
    stop.abort();
    for (let i = 0; i < 50; i++) {
      for (const go of release.splice(0)) go();
      await new Promise((resolve) => setImmediate(resolve));
    }
    expect((await running).end).toBe("interrupted");
  });

  it("refuses a cap that it could not keep", async () => {
    const one = world(tableOf("a"), goodModel({ price: undefined }));
    await expect(fill(one, { spendCap: 1000 })).rejects.toThrow("has no price, so the cap could not be kept");
    expect(await fill(one)).toMatchObject({ filled: 1, spent: 0 });
  });

  it("asks about as many rows as it may, and then about the next", async () => {
    const one = world(tableOf("a", "b", "c", "d", "e"));
    expect(await fill(one, { rows: 2 })).toMatchObject({ asked: 2, filled: 2, blank: 3, end: "rowLimit" });
    expect(inWords(await fill(one, { rows: 2 }))).toMatchObject({ asked: 2, filled: 4, blank: 1 });
    expect(inWords((await survey(one)).reasons)).toMatchObject([{ state: "blank", reason: "not filled yet", rows: 1, keys: ["r5"] }]);
  });

  it("renews what is out of date: a changed input, a changed template; and only blank cells when told so", async () => {
    const one = world(tableOf("a", "b"));
    await fill(one);
    one.table.rows[0]!["text"] = "new!";
    expect((await survey(one)).columns["tone"]).toEqual({ stale: 1, filled: 1 });
    expect(await fill(one, { refill: "blank" })).toMatchObject({ asked: 0, stale: 1, filled: 1 });
    expect(await fill(one)).toMatchObject({ asked: 1, filled: 2 });
    expect(one.table.rows[0]!["tone"]).toBe("upset");
    const changed = { ...one, asking: asks(one.model, prepare({ ...tone, task: "Again: {{ note }}" } as typeof tone) as never) };
    expect(await fill(changed)).toMatchObject({ asked: 2, filled: 2 });
  });

  it("keeps the old value when a new answer fails or the condition stops holding", async () => {
    let broken = false;
    const one = world(
      tableOf("a", "b"),
      scriptedModel((request) => (broken ? { finish: "filtered" } : reply(fenced(request, "note")))),
    );
    await fill(one);
    broken = true;
    one.table.rows[0]!["text"] = "other";
    one.table.rows[1]!["kind"] = "internal";
    expect(await fill(one)).toMatchObject({ asked: 1, failed: 1, stale: 1 });
    expect(inWords(one.table.rows.map((row) => row["tone"]))).toEqual(["calm", "calm"]);
    expect(inWords((await survey(one)).reasons.map(({ state, reason }) => [state, reason]))).toEqual([
      ["stale", "not renewed: the host's content filter held the answer back"],
      ["stale", "the condition no longer holds"],
    ]);
    // The answer that failed is known, and not asked again unless that is what is wanted.
    broken = false;
    expect(await fill(one)).toMatchObject({ asked: 0 });
    expect(await fill(one, { refill: "failed" })).toMatchObject({ asked: 1, failed: 0 });
  });

  it("fails a row when the host keeps failing, and asks again next time", async () => {
    let down = true;
    const one = world(
      tableOf("a", "b"),
      scriptedModel((request) => {
        if (down && fenced(request, "note") === "a") throw new ModelFailure("server", "the host failed (HTTP 500)");
        return reply("x");
      }),
    );
    expect(await fill(one)).toMatchObject({ filled: 1, failed: 1, end: "done" });
    down = false;
    expect(await fill(one)).toMatchObject({ asked: 1, filled: 2 });
  });

  it("stops at once on a wrong key, keeps what it has, and says why", async () => {
    const one = world(
      tableOf(...Array.from({ length: 60 }, (_, i) => `n${i}`)),
      scriptedModel((_, index) => {
        if (index >= 3) throw new ModelFailure("unauthorised", "HTTP 401", { status: 401 });
        return reply("x");
      }),
    );
    const report = await fill(one);
    expect(report).toMatchObject({ end: "failed", filled: 3, written: true, error: { kind: "unauthorised" } });
    expect(one.model.requests.length).toBeLessThanOrEqual(3 + 4);
  });

  it("finishes what is in flight when stopped, and drops it when told to", async () => {
    const stop = new AbortController();
    const one = world(
      tableOf(...Array.from({ length: 30 }, (_, i) => `n${i}`)),
      scriptedModel(async (request, index) => {
        if (index === 5) stop.abort();
        await new Promise((resolve) => setImmediate(resolve));
        return reply(fenced(request, "note"));
      }),
    );
    const report = await fill(one, { stop: stop.signal });
    expect(report.end).toBe("interrupted");
    expect(report.filled).toBe(one.model.requests.length);
    expect(report.filled).toBeLessThan(12);
    expect(await fill(one)).toMatchObject({ end: "done", filled: 30, asked: 30 - report.filled });
  });

  it("refuses keys that do not exist, once the rest is done", async () => {
    await expect(fill(world(tableOf("a")), { only: ["r1", "r9"] })).rejects.toThrow("table has no row with the key `r9`");
  });

  it("fails when the ledger fails, and does not hang", async () => {
    const ledger = { ...memoryLedger(), record: () => Promise.reject(new Error("ledger gone")) };
    await expect(fill(world(tableOf("a", "b"), goodModel(), ledger))).rejects.toThrow("ledger gone");
  });

  it("puts the parts of a record into columns of their own, and whole parts as they stand in a cell", async () => {
    const nested = template({
      name: "nested",
      inputs: { text: { kind: "text" } },
      task: "{{ text }}",
      answer: {
        who: {
          kind: "record",
          parts: { name: { kind: "text" }, age: { kind: "number" }, home: { kind: "record", parts: { town: { kind: "text" } } } },
        },
        tags: { kind: "choices", options: ["a", "b"] },
      },
    });
    const model = scriptedModel(() => '{"who":{"name":"=Kim","age":40,"home":{"town":"Tarn"}},"tags":["b","a"]}');
    const nestedPlan = makePlan({
      name: "n",
      table: { file: "t", key: "id" },
      steps: { s: { template: "nested", fill: { name: "who.name", age: "who.age", town: "who.home.town", all: "who", tags: "tags" } } },
    });
    const one = {
      ...world(tableOf("x"), model),
      plan: nestedPlan,
      asking: asks(model, prepare(nested) as never, Object.keys(nestedPlan.steps)[0]),
    };
    expect(await fill(one)).toMatchObject({ filled: 1 });
    expect(one.table.rows[0]).toMatchObject({
      name: "'=Kim",
      age: "40",
      town: "Tarn",
      all: '{"name":"=Kim","age":40,"home":{"town":"Tarn"}}',
      tags: "b; a",
    });
  });

  it("keeps the columns of another plan on the same table", async () => {
    const one = world(tableOf("a", "b"));
    await fill(one);
    one.table.rows[1]!["tone"] = "mine";
    const second = {
      ...one,
      asking: asks(one.model, undefined, "s"),
      plan: makePlan({
        name: "second",
        table: { file: "t.csv", key: "id" },
        steps: { s: { template: "tone", inputs: { note: "text" }, fill: { reason: "why" } } },
      }),
    };
    expect(await fill(second)).toMatchObject({ asked: 0, filled: 2 });
    expect(one.table.rows[1]).toMatchObject({ tone: "mine", reason: "'=b" });
    expect((await survey(one)).columns["tone"]).toEqual({ filled: 1, edited: 1 });
  });
});

describe("a preview", () => {
  it("counts what a fill would ask and cost, and asks nothing", async () => {
    const one = world(tableOf("a", "a", "b", "", "c"));
    const options: FillOptions = { rows: 2 };
    const result = await preview(one, options, (text) => text.length);
    expect(result).toMatchObject({ rows: 5, asked: 2, reused: 1, skipped: 1, blank: 1 });
    expect(result.estimate.cost).toBeGreaterThan(0);
    expect(result.dearest).toBeGreaterThan(result.estimate.cost);
    expect(one.model.requests).toHaveLength(0);
    expect((await fill(one, options)).spent).toBeLessThanOrEqual(result.dearest);
  });
});

describe("rules before models", () => {
  const clear = [
    { when: 'row.text.startsWith("nothing")', give: { tone: "Calm", level: 1, why: "=nothing" } },
    { when: "size(row.text) < 3", give: { tone: "upset", level: 5, why: "short" } },
  ];
  const ruled = (rules: readonly object[] = clear) =>
    makePlan({ ...plan, steps: { tone: { ...plan.steps["tone"]!, clear: rules as typeof clear } } });

  it("settle the clear rows without a request, typed and harmless like any answer, and are counted apart", async () => {
    const one = { ...world(tableOf("nothing new", "ok", "fine!", "nothing at all")), plan: ruled() };
    expect(await fill(one)).toMatchObject({ asked: 1, ruled: 3, reused: 0, filled: 4 });
    expect(inWords(one.table.rows[0])).toMatchObject({ tone: "calm", level: "1", because: "'=nothing" });
    expect(inWords((await one.ledger.cells.find("tones", "tone", ["r2"])).get("r2")!.notes)).toEqual(["settled by rule 2"]);
    expect(await fill(one)).toMatchObject({ asked: 0, ruled: 3, reused: 1, filled: 4, written: false });
  });

  it("a changed rule renews what it settled; a rule that cannot be evaluated fails its row with the reason", async () => {
    const one = { ...world(tableOf("nothing new", "fine")), plan: ruled() };
    await fill(one);
    const stricter = ruled([
      { when: 'row.text == "nothing new"', give: { tone: "upset", level: 5, why: "odd" } },
      { when: "row.text > 3", give: { tone: "calm", level: 1, why: "x" } },
    ]);
    const report = await fill({ ...one, plan: stricter });
    expect(report).toMatchObject({ asked: 0, ruled: 1 });
    expect(inWords(one.table.rows[0])).toMatchObject({ tone: "upset" });
    expect(inWords((await survey({ ...one, plan: stricter })).reasons[0]!.reason)).toMatch(
      /^rule 2: the condition takes text for a number/,
    );
  });
});

describe("related rows", () => {
  const thread = template({
    name: "thread",
    inputs: { note: { kind: "text" }, thread: { kind: "rows", required: false, columns: { at: "date", said: "text" } } },
    task: "{{ note }}{% for m in thread %}\n{{ m.at }} {{ m.said }}{% endfor %}",
    answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
  });
  const messages = [
    ["r1", "2026-08-03", "third"],
    ["r1", "2026-08-01", "first"],
    ["r1", "2026-08-02", "second"],
    ["r3", "2026-08-01", "other"],
  ].map(([id, at, said]) => ({ id, at, said }) as Record<string, string>);
  const threads = makePlan({
    ...plan,
    related: { talk: { table: { file: "m.csv" }, match: { id: "id" }, order: "at", limit: 2 } },
    steps: { tone: { template: "thread", inputs: { note: "text", thread: "talk" }, fill: { tone: "tone" }, when: "size(row.talk) < 3" } },
  });

  it("are given in order, the newest kept, fenced one by one; a changed one makes the row stale", async () => {
    const model = scriptedModel(() => '{"tone":"calm"}');
    const talkOf = (rows: typeof messages, keep: "newest" | "oldest" = "newest") => ({
      talk: memoryRelated(rows, { match: { id: "id" }, order: "at", limit: 2, keep }),
    });
    const one = {
      ...world(tableOf("a", "b", "c"), model),
      plan: threads,
      asking: asks(model, prepare(thread) as never, Object.keys(threads.steps)[0]),
      related: talkOf(messages),
    };
    expect(await fill(one)).toMatchObject({ asked: 3, filled: 3 });
    expect(plainFences(messageText(model.requests[0]!.messages.at(-1)!))).toContain(
      '<data name="m.at">2026-08-02</data> <data name="m.said">second</data>\n<data name="m.at">2026-08-03</data> <data name="m.said">third</data>',
    );
    expect(await fill(one)).toMatchObject({ asked: 0, reused: 3 });
    expect(await fill({ ...one, related: talkOf([...messages, { id: "r2", at: "2026-08-09", said: "new" }]) })).toMatchObject({
      asked: 1,
      reused: 2,
    });
    expect(
      await fill({
        ...one,
        related: talkOf(
          messages.map((row) => ({ ...row, at: "soon" })),
          "oldest",
        ),
      }),
    ).toMatchObject({ stale: 2, filled: 1 });
    expect(
      inWords(
        (await survey({ ...one, related: talkOf(messages.map((row) => ({ ...row, at: "soon" }))) })).reasons.map(({ reason }) => reason),
      ),
    ).toContain("thread has a row 1 whose `at` is not a day; write YYYY-MM-DD");
  });
});

it("notes on cells what was left out of a long input, and puts an answer's confidence into a column", async () => {
  const long = template({
    name: "tone",
    inputs: { note: { kind: "text", maxChars: 120 } },
    task: "{{ note }}",
    answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
    whenLong: { note: "cut" },
    doubt: { by: "stated" },
  });
  const sure = makePlan({
    ...plan,
    steps: { tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone", sure: "confidence" } } },
  });
  const model = scriptedModel(() => '{"tone":"calm","confidence":0.81234}');
  const one = { ...world(tableOf("word ".repeat(60), "short"), model), plan: sure, asking: asks(model, prepare(long) as never) };
  expect(await fill(one)).toMatchObject({ filled: 2 });
  expect(one.table.rows.map((row) => row["sure"])).toEqual(["0.812", "0.812"]);
  const cells = await one.ledger.cells.find("tones", "tone", ["r1", "r2"]);
  expect(inWords([cells.get("r1")!.notes, cells.get("r2")!.notes])).toEqual([
    [expect.stringMatching(/^note: \d+ of 300 characters read, at the end of a sentence$/)],
    undefined,
  ]);
});
