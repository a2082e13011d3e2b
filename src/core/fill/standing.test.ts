import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { type FillSetup, partOf, survey } from "../cells/index.js";
import { remark, sentenceOf } from "../ground/index.js";
import { memoryLedger, type Ledger } from "../ledger/index.js";
import { plan as makePlan, type PlanShape } from "../plan/index.js";
import { memoryRelated, memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { fill } from "./fill.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { why: { kind: "text" }, level: { kind: "score", from: 1, to: 5 } },
});
const steps: PlanShape["steps"] = { sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level", because: "why" } } };
interface World extends FillSetup {
  readonly table: MemoryTable;
  readonly model: ScriptedModel;
  readonly ledger: Ledger;
}
/** A model whose answers' reasons can be changed, so that a renewal gives another value. */
let word = "first";
const world = (
  rows: Record<string, string>[],
  shape: Partial<PlanShape> = {},
  model = scriptedModel((request) => JSON.stringify({ why: `${word} ${fenced(request, "note")}`, level: word === "first" ? 1 : 2 })),
): World => {
  const plan = makePlan({ name: "p", table: { file: "t.csv", key: "id" }, steps, ...shape });
  return {
    plan,
    table: memoryTable(rows, { key: "id" }),
    asking: { sort: { prepared: prepare(sort) as never, version: 1, model } },
    model,
    ledger: memoryLedger(),
    clock: fakeClock(),
  };
};
const rows = (count: number): Record<string, string>[] =>
  Array.from({ length: count }, (_, index) => ({ id: `r${index}`, text: `note ${index}` }));

describe("an earlier result that is put back", () => {
  const renewed = async (count: number): Promise<{ one: World; old: Record<string, string>[] }> => {
    word = "first";
    const one = world(rows(count));
    await fill(one);
    const old = one.table.rows.map((row) => ({ ...row }));
    word = "second";
    one.clock.sleep(1_000);
    await fill(one, { refill: "all" });
    expect(one.table.rows[0]).toMatchObject({ level: "2", because: "second note 0" });
    return { one, old };
  };

  it("is told as one, and written as the answers are now", async () => {
    const { one, old } = await renewed(6);
    one.table.rows.forEach((row, index) => Object.assign(row, old[index]));
    expect(await fill(one)).toMatchObject({ earlier: 6, newEdits: 0, asked: 0, filled: 6, written: true });
    expect(one.table.rows.map((row) => row["because"])).toEqual(rows(6).map((_, index) => `second note ${index}`));
    expect((await survey(one)).columns["level"]).toEqual({ filled: 6 });
  });

  it("is not what a person makes of one cell, nor of one row", async () => {
    const { one, old } = await renewed(6);
    one.table.rows[2]!["level"] = old[2]!["level"]!;
    expect(await fill(one)).toMatchObject({ earlier: 0, newEdits: 1 });
    Object.assign(one.table.rows[4]!, old[4]);
    expect(await fill(one)).toMatchObject({ earlier: 0, newEdits: 2 });
    expect(one.table.rows[4]).toMatchObject({ level: "1", because: "first note 4" });
  });
});

it("a write that failed is made up for by the next fill, though nothing has changed since", async () => {
  word = "first";
  const one = world(rows(2));
  // Its own marks are those of a file: what is filled is no change of the source.
  Object.assign(one.table, { sourceMark: async () => JSON.stringify(one.table.rows.map(({ text }) => text)) });
  await fill(one);
  await one.clock.sleep(1_000);
  word = "second";
  const { write } = one.table;
  Object.assign(one.table, { write: () => Promise.reject(new Error("the disk is full")) });
  await expect(fill(one, { refill: "all" })).rejects.toThrow("the disk is full");
  Object.assign(one.table, { write });
  await fill(one);
  expect(one.table.rows.map((row) => row["because"])).toEqual(["second note 0", "second note 1"]);
});

it("what a person changes at the very moment after a write is seen by the next fill", async () => {
  word = "first";
  const one = world(rows(2));
  const { write } = one.table;
  Object.assign(one.table, {
    write: async (...about: Parameters<typeof write>) => {
      const mark = await write.apply(one.table, about);
      one.table.rows[0]!["because"] = "a person's word";
      return mark;
    },
  });
  await fill(one);
  Object.assign(one.table, { write });
  expect((await fill(one)).newEdits).toBe(1);
});

it("what changes in a source while it is filled is not taken for done", async () => {
  word = "first";
  const one = world(rows(2));
  const { write } = one.table;
  Object.assign(one.table, {
    write: async (...about: Parameters<typeof write>) => {
      const mark = await write.apply(one.table, about);
      one.table.rows[1]!["text"] = "changed meanwhile";
      return mark;
    },
  });
  await fill(one);
  Object.assign(one.table, { write });
  expect(await fill(one)).toMatchObject({ asked: 1 });
  expect(one.table.rows[1]!["because"]).toBe("first changed meanwhile");
});

describe("a part of a table", () => {
  const stateOf = async (one: World, key: string): Promise<string | undefined> =>
    (await one.ledger.cells.find("p", "sort", [key])).get(key)?.edited?.["because"];

  it("is filled alone, and a person's word in it is seen as one afterwards, an older value of ours, too", async () => {
    word = "first";
    const one = world(rows(4));
    await fill(one);
    await one.clock.sleep(1_000);
    word = "second";
    one.table.rows[1]!["text"] = "changed";
    one.table.rows[2]!["text"] = "changed, too";
    const part = await partOf<FillSetup>(one, ["r1", "gone"]);
    const { rows: looked, asked } = await fill(part, { only: ["r1", "gone"], orGone: true });
    expect([looked, asked]).toEqual([1, 1]);
    expect(one.table.rows.map((row) => row["because"])).toEqual(["first note 0", "second changed", "first note 2", "first note 3"]);
    await one.clock.sleep(1_000);
    one.table.rows[1]!["because"] = "first note 1";
    await fill(one);
    expect(one.table.rows[1]!["because"]).toBe("first note 1");
    expect(await stateOf(one, "r1")).toBe("first note 1");
    expect(one.table.rows[2]!["because"]).toBe("second changed, too");
    expect(await stateOf(one, "r2")).toBe(undefined);
  });

  it("leaves what was answered for other rows, and not written, known as ours", async () => {
    word = "first";
    const one = world(rows(3));
    await fill(one);
    await one.clock.sleep(1_000);
    word = "second";
    for (const row of one.table.rows) row["text"] = `${row["text"]} anew`;
    const { write } = one.table;
    Object.assign(one.table, { write: () => Promise.reject(new Error("the disk is full")) });
    await expect(fill(one)).rejects.toThrow("the disk is full");
    Object.assign(one.table, { write });
    await fill(await partOf<FillSetup>(one, ["r0"]), { only: ["r0"] });
    expect(one.table.rows.map((row) => row["because"])).toEqual(["second note 0 anew", "first note 1", "first note 2"]);
    const { newEdits } = await fill(one);
    expect(newEdits).toBe(0);
    expect(one.table.rows.map((row) => row["because"])).toEqual(["second note 0 anew", "second note 1 anew", "second note 2 anew"]);
  });

  it("is the whole table where it has never been written", async () => {
    const one = world(rows(3));
    expect((await partOf<FillSetup>(one, ["r0"])).table).toBe(one.table);
  });
});

describe("a person's edit", () => {
  it("is told when its row has changed since, and when it is none of its kind", async () => {
    word = "first";
    const one = world(rows(3));
    await fill(one);
    one.table.rows[0]!["level"] = "3";
    one.table.rows[1]!["level"] = "seven";
    expect((await fill(one)).notes).toEqual([
      {
        remark: remark("about", { name: "level", remark: remark("editedUnfit", { problem: "is not a whole number from 1 to 5" }) }),
        rows: 1,
        keys: ["r1"],
      },
    ]);
    one.table.rows[0]!["text"] = "another note";
    const { notes } = await fill(one);
    expect(notes.map(({ remark: one, keys }) => [sentenceOf(one), keys])).toContainEqual([
      "level: edited, the row has changed since",
      ["r0"],
    ]);
    expect(inWords(one.table.rows[0])).toMatchObject({ level: "3", because: "first another note" });
    const open: object[] = [];
    const { reasons } = await survey(one, (cell) => open.push(cell));
    expect(inWords(reasons)).toContainEqual({
      step: "sort",
      state: "edited",
      reason: "level: edited, the row has changed since",
      rows: 1,
      keys: ["r0"],
    });
    expect(inWords(open)).toContainEqual({
      key: "r0",
      place: "row 1",
      column: "level",
      state: "edited",
      reason: "edited, the row has changed since",
    });
    // Looked at again and changed: then it rests on the row as it is.
    one.table.rows[0]!["level"] = "4";
    await fill(one);
    expect((await fill(one)).notes.map(({ remark: one }) => sentenceOf(one))).not.toContain("level: edited, the row has changed since");
  });

  it("of every column of a row is told, too, and costs nothing", async () => {
    word = "first";
    const one = world(rows(1));
    await fill(one);
    Object.assign(one.table.rows[0]!, { level: "3", because: "mine" });
    await fill(one);
    one.table.rows[0]!["text"] = "another note";
    const report = await fill(one);
    expect(report).toMatchObject({ asked: 0, edited: 1 });
    expect(report.notes.map(({ remark: one }) => sentenceOf(one))).toEqual([
      "level: edited, the row has changed since",
      "because: edited, the row has changed since",
    ]);
  });
});

describe("values that stand before a step first fills its column", () => {
  const set: PlanShape["steps"] = { stage: { set: { stage: { cel: 'row.text == "note 1" ? "urgent" : "sorted"' } }, takes: ["new", ""] } };

  it("are written over where the step takes them, and no others", async () => {
    const one = {
      ...world(
        [
          { id: "a", text: "note 0", stage: "new" },
          { id: "b", text: "note 1", stage: "" },
          { id: "c", text: "x", stage: "on hold" },
        ],
        { steps: set },
      ),
      asking: {},
    };
    expect(await fill(one)).toMatchObject({ filled: 2, edited: 1, newEdits: 1 });
    expect(one.table.rows.map((row) => row["stage"])).toEqual(["sorted", "urgent", "on hold"]);
    one.table.rows[0]!["stage"] = "new";
    expect(await fill(one)).toMatchObject({ filled: 2, edited: 1, newEdits: 0 });
    expect(one.table.rows.map((row) => row["stage"])).toEqual(["sorted", "urgent", "on hold"]);
  });

  it("are a person's, each counted, where the step says nothing", async () => {
    const { takes: _, ...plain } = set["stage"]! as { takes: unknown };
    const one = {
      ...world(
        [
          { id: "a", text: "x", stage: "new" },
          { id: "b", text: "y", stage: "" },
        ],
        { steps: { stage: plain as never } },
      ),
      asking: {},
    };
    expect(await fill(one)).toMatchObject({ filled: 1, edited: 1, newEdits: 1 });
    expect(one.table.rows.map((row) => row["stage"])).toEqual(["new", "sorted"]);
  });
});

it("related rows beyond their limit are told on the cell and by the fill", async () => {
  word = "first";
  const thread = template({
    name: "sort",
    inputs: { note: { kind: "text" }, thread: { kind: "rows", columns: { said: "text" } as never } },
    task: "{{ note }} {% for m in thread %}{{ m.said }}{% endfor %}",
    answer: { why: { kind: "text" }, level: { kind: "score", from: 1, to: 5 } },
  });
  const messages = Array.from({ length: 7 }, (_, index) => ({ of: index < 5 ? "r0" : "r1", said: `m${index}` }));
  const one = world(rows(2), { related: { thread: { table: { file: "m.csv" }, match: { of: "id" }, limit: 3 } } });
  const related = { thread: memoryRelated(messages, { match: { of: "id" }, limit: 3, keep: "newest" }) };
  const setup = { ...one, related, asking: { sort: { ...one.asking["sort"]!, prepared: prepare(thread) as never } } };
  expect(inWords((await fill(setup)).notes)).toEqual([{ remark: "thread: only … of … rows, by its limit", rows: 1, keys: ["r0"] }]);
  expect(inWords((await one.ledger.cells.find("p", "sort", ["r0", "r1"])).get("r0")?.notes)).toEqual([
    "thread: only 3 of 5 rows, by its limit",
  ]);
  expect((await survey(setup)).notes).toHaveLength(1);
});

it("a step that reads a value whose renewal failed says so, until it is renewed", async () => {
  let fails = false;
  const one = world(
    rows(1),
    { steps: { ...steps, line: { set: { line: "{{ row.because }} / {{ row.text }}" } } } },
    scriptedModel((request) => (fails ? "no answer at all" : JSON.stringify({ why: fenced(request, "note"), level: 1 }))),
  );
  await fill(one);
  one.table.rows[0]!["text"] = "changed";
  fails = true;
  const report = await fill(one);
  expect(report.steps["sort"]).toMatchObject({ failed: 1 });
  expect(one.table.rows[0]).toMatchObject({ because: "note 0", line: "note 0 / changed" });
  const noteOf = async () => (await one.ledger.cells.find("p", "line", ["r0"])).get("r0")?.notes;
  expect((await noteOf())?.map(sentenceOf)).toEqual(["because: an old value, since its renewal failed"]);
  expect((await survey(one)).notes.map(({ remark: one }) => sentenceOf(one))).toContain("because: an old value, since its renewal failed");
  fails = false;
  await fill(one, { refill: "failed" });
  expect(one.table.rows[0]).toMatchObject({ because: "changed", line: "changed / changed" });
  expect(await noteOf()).toBeUndefined();
});

it("a write that gives up a person's value says so to the table, which then keeps a copy; an ordinary one does not", async () => {
  const one = world(rows(2));
  const seen: unknown[] = [];
  const write: MemoryTable["write"] = (columns, cellsOf, options) => {
    seen.push(options?.givesUp);
    return one.table.write(columns, cellsOf, options);
  };
  const told = { ...one, table: { ...one.table, write } };
  await fill(told);
  one.table.rows[0]!["level"] = "5";
  expect(await fill(told)).toMatchObject({ newEdits: 1 });
  expect(await fill(told, { overwrite: ["level"] })).toMatchObject({ edited: 0 });
  expect(one.table.rows[0]!["level"]).not.toBe("5");
  expect(seen).toEqual([false, false, true]);
});

it("a table that has no mark is looked at for edits each time, also by a survey", async () => {
  const one = world(rows(2));
  const unmarked = { ...one, table: { ...one.table, standingMark: async () => undefined } };
  await fill(unmarked);
  one.table.rows[1]!["because"] = "mine";
  expect((await survey(unmarked)).columns["because"]).toEqual({ filled: 1, edited: 1 });
});
