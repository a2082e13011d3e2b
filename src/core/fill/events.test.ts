import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { filledMark, type FilledRow } from "../cells/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template, type Prepared } from "../template/index.js";
import { fill } from "./fill.js";
import { fillRows } from "./fill-rows.js";

const tone = template({
  name: "tone",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
});
const shape = {
  name: "tones",
  table: { file: "t.csv", key: "id" },
  steps: {
    tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone" }, when: 'row.text != "skip"' },
    head: { set: { head: "{{ row.id }}: {{ row.tone }}" } },
  },
  limits: { atOnce: 4 },
};
const goodModel = (): ScriptedModel =>
  scriptedModel((request) => JSON.stringify({ tone: fenced(request, "note").includes("!") ? "upset" : "calm" }));

function world(notes: readonly unknown[], { model = goodModel(), table }: { model?: ScriptedModel; table?: MemoryTable } = {}) {
  const made =
    table ??
    memoryTable(
      notes.map((text, index) => ({ id: `r${index}`, text: text as string })),
      { key: "id" },
    );
  return {
    plan: makePlan(shape),
    table: made,
    asking: { tone: { prepared: prepare(tone) as unknown as Prepared, version: 1, model } },
    ledger: memoryLedger(),
    clock: fakeClock(),
    model,
  };
}

async function gather(rows: AsyncGenerator<FilledRow, unknown>): Promise<{ rows: FilledRow[]; report: unknown }> {
  const found: FilledRow[] = [];
  for (;;) {
    const next = await rows.next();
    if (next.done) return { rows: found, report: next.value };
    found.push(next.value);
  }
}

describe("rows as they are settled", () => {
  it("come with their values, states and reasons, and the report at the end; the same again when nothing is left to do", async () => {
    const one = world(["fine", "bad!", "skip", ""]);
    const { rows, report } = await gather(fillRows(one));
    expect(rows.toSorted((a, b) => (a.key < b.key ? -1 : 1))).toEqual([
      { key: "r0", place: "row 1", values: { tone: "calm", head: "r0: calm" }, states: { tone: "filled", head: "filled" }, reasons: {} },
      { key: "r1", place: "row 2", values: { tone: "upset", head: "r1: upset" }, states: { tone: "filled", head: "filled" }, reasons: {} },
      {
        key: "r2",
        place: "row 3",
        values: { tone: "", head: "r2: " },
        states: { tone: "skipped", head: "filled" },
        reasons: { tone: "the condition does not hold" },
      },
      {
        key: "r3",
        place: "row 4",
        values: { tone: "", head: "r3: " },
        states: { tone: "skipped", head: "filled" },
        reasons: { tone: expect.stringContaining("note") },
      },
    ]);
    expect(report).toMatchObject({ end: "done", asked: 2 });
    const again = await gather(fillRows(one));
    expect([again.rows.length, again.report]).toEqual([4, expect.objectContaining({ asked: 0 })]);
    await fill(one, { columns: ["head"] });
    one.table.rows[1]!["tone"] = "mine";
    expect((await gather(fillRows(one))).rows.find(({ key }) => key === "r1")).toMatchObject({
      values: { tone: "mine", head: "r1: mine" },
      states: { tone: "edited" },
    });
  });

  it("end the fill when the loop is left: what was asked is kept and written", async () => {
    const one = world(Array.from({ length: 400 }, (_, index) => `note ${index}`));
    for await (const { key } of fillRows(one)) if (key === "r5") break;
    const asked = one.model.requests.length;
    expect(asked).toBeLessThan(400);
    expect(one.table.rows.filter((row) => row["tone"] === "calm").length).toBe(asked);
    expect((await gather(fillRows(one))).report).toMatchObject({ end: "done", asked: 400 - asked });
  });

  it("hold the fill back while nobody takes them", async () => {
    const one = world(Array.from({ length: 3_000 }, (_, index) => `note ${index}`));
    const rows = fillRows(one);
    await rows.next();
    for (let i = 0; i < 50; i++) await new Promise((resolve) => setImmediate(resolve));
    expect(one.model.requests.length).toBeLessThan(1_000);
    expect((await gather(rows)).rows).toHaveLength(2_999);
  });

  it("stop when the signal is aborted, and what was answered stands", async () => {
    const one = world(Array.from({ length: 300 }, (_, index) => `note ${index}`));
    const gone = new AbortController();
    let seen = 0;
    const { report } = await gather(fillRows(one, { signal: gone.signal, on: { row: () => void (++seen === 10 && gone.abort()) } }));
    expect(report).toMatchObject({ end: "interrupted" });
    expect(one.table.rows.filter((row) => row["tone"] === "calm").length).toBeGreaterThanOrEqual(10);
  });
});

describe("what a caller's function throws", () => {
  const boom = new Error("the caller's own");
  it.each<[string, object]>([
    [
      "told of progress",
      {
        progress: () => {
          throw boom;
        },
      },
    ],
    [
      "told of rows",
      {
        row: () => {
          throw boom;
        },
      },
    ],
    [
      "told of rows, later",
      {
        row: async () => {
          await Promise.resolve();
          throw boom;
        },
      },
    ],
  ])("%s, reaches the caller once, and nothing that was answered is lost", async (_, on) => {
    const one = world(Array.from({ length: 30 }, (__, index) => `note ${index}`));
    const unhandled: unknown[] = [];
    const onUnhandled = (error: unknown): void => void unhandled.push(error);
    process.on("unhandledRejection", onUnhandled);
    await expect(fill(one, { on })).rejects.toBe(boom);
    await new Promise((resolve) => setTimeout(resolve, 5));
    process.off("unhandledRejection", onUnhandled);
    expect(unhandled).toEqual([]);
    const asked = one.model.requests.length;
    expect(await fill(one)).toMatchObject({ end: "done", asked: 30 - asked });
  });

  it("seeing attempts, ends the run with that error", async () => {
    const one = world(["a", "b", "c"]);
    await expect(
      fill(one, {
        observed: (model) => ({
          ...model,
          ask: () => {
            throw boom;
          },
        }),
      }),
    ).rejects.toBe(boom);
  });
});

describe("before the first request", () => {
  it("a plan made in code is held against its template and table, with the path to what is wrong", async () => {
    const one = world(["fine"]);
    const wrong = {
      ...one,
      plan: makePlan({ ...shape, steps: { tone: { template: "tone", inputs: { note: "txt" }, fill: { tone: "tome" } } } }),
    };
    await expect(fill(wrong)).rejects.toThrow(
      /plan tones, steps\.tone\.fill\.tone:  The answer has no part `tome`\. Did you mean `tone`\?[\s\S]*plan tones, steps\.tone\.inputs\.note:  table has no column `txt`\. Did you mean `text`\?/,
    );
    expect(one.model.requests).toHaveLength(0);
  });

  it("cells that are no text are written as text, or refused with their place", async () => {
    const at = new Date(Date.UTC(2026, 7, 3, 8));
    const table = memoryTable(
      [
        { id: 7, text: 12.5 },
        { id: 8, text: true },
        { id: 9n, text: at },
        { id: "x", text: null },
      ],
      { key: "id" },
    );
    expect(table.rows).toEqual([
      { id: "7", text: "12.5" },
      { id: "8", text: "true" },
      { id: "9", text: "2026-08-03T08:00:00.000Z" },
      { id: "x", text: "" },
    ]);
    const bad =
      (text: unknown): (() => unknown) =>
      () =>
        memoryTable(
          [
            { id: "a", text: "ok" },
            { id: "b", text: text as string },
          ],
          { key: "id" },
        );
    expect(bad({ a: 1 })).toThrow("table, row 2: `text` holds an object; a cell is text, a number, true or false, or a date.");
    expect(bad(Number.NaN)).toThrow("`text` holds NaN");
    expect(bad([1])).toThrow("`text` holds a list");
    // A table of one's own may give anything.
    const own = memoryTable(
      [
        { id: "a", text: "" },
        { id: "b", text: "" },
      ],
      { key: "id" },
    );
    const odd = {
      ...own,
      async *read() {
        yield {
          rows: [
            { key: "a", place: "row 1", values: { id: "a", text: 5 } },
            { key: "b", place: "row 2", values: { id: "b", text: {} } },
          ] as never[],
          share: 1,
        };
      },
    };
    const { rows } = await gather(fillRows(world([], { table: odd })));
    expect(rows.map(({ key, states, reasons }) => [key, states["tone"], reasons["tone"]])).toEqual([
      ["b", "failed", "`text` holds an object; a cell is text, a number, true or false, or a date"],
      ["a", "filled", undefined],
    ]);
  });
});

it("rows whose values a table did not take are not filled, by all reasons together", async () => {
  const own = memoryTable(
    ["a", "b", "c", "d", "e"].map((text, index) => ({ id: `r${index}`, text })),
    { key: "id" },
  );
  const refusing = {
    ...own,
    write: async (...about: Parameters<MemoryTable["write"]>) => {
      about[2]?.onRefused?.([
        { rows: 2, keys: ["r0", "r1"], columns: ["tone"], problem: "too long" },
        { rows: 1, keys: ["r2"], columns: ["head"], problem: "no such value" },
      ]);
      return own.write(...about);
    },
  };
  const report = await fill(world([], { table: refusing }));
  expect([report.steps["tone"]!.filled, report.filled, report.failed]).toEqual([5, 10 - 3, 3]);
});

it("the mark of a plan's rows is there once they are filled, changes with them, and is none where a table cannot tell", async () => {
  const one = world(["fine", "bad!"]);
  expect(await filledMark(one)).toBeUndefined();
  await fill(one);
  const mark = await filledMark(one);
  expect(mark).toBeTypeOf("string");
  expect(await filledMark(one)).toBe(mark);
  one.table.rows[0]!["tone"] = "mine";
  expect(await filledMark(one)).not.toBe(mark);
  expect(await filledMark({ ...one, table: { ...one.table, standingMark: async () => undefined } })).toBeUndefined();
  expect(await filledMark({ ...one, table: { ...one.table, sourceMark: async () => undefined } })).toBeUndefined();
});
