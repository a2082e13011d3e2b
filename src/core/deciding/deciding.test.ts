import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { survey, type FillSetup } from "../cells/index.js";
import { fill } from "../fill/index.js";
import { messageText, sentenceOf } from "../ground/index.js";
import { claim, memoryLedger, type Ledger } from "../ledger/index.js";
import { plan as makePlan, type PlanShape } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import {
  checkFigures,
  currentCheck,
  decideRow,
  drawCheck,
  letStand,
  peopleFigures,
  releaseShown,
  rowsToCheck,
  undoDecision,
  undoRun,
  waitingRows,
  writeDecided,
} from "./index.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { why: { kind: "text" }, level: { kind: "score", from: 1, to: 5 } },
});
const react = template({
  name: "react",
  inputs: { level: { kind: "text" } },
  task: "{{ level }}",
  answer: { action: { kind: "choice", options: { call: "c", wait: "w" } } },
});
const steps: PlanShape["steps"] = {
  sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level", because: "why" } },
  act: { template: "react", inputs: { level: "level" }, fill: { action: "action" } },
};
interface World extends FillSetup {
  readonly table: MemoryTable;
  readonly model: ScriptedModel;
  readonly ledger: Ledger;
  readonly clock: ReturnType<typeof fakeClock>;
}

/** The level is the number that stands in the note; what a person objects to is one higher. */
function world(notes: readonly string[], shape: Partial<PlanShape> = {}, version = 1): World {
  const model = scriptedModel((request) => {
    if (request.schemaName === "react") return JSON.stringify({ action: Number(fenced(request, "level")) >= 4 ? "call" : "wait" });
    const objected = request.messages.some((message) => messageText(message).includes("A person who checked"));
    const level = Number(/\d/.exec(fenced(request, "note"))?.[0] ?? 1) + (objected ? 1 : 0);
    return JSON.stringify({ why: `because ${fenced(request, "note")}`, level });
  });
  return {
    plan: makePlan({ name: "p", table: { file: "t.csv", key: "id" }, steps, ...shape }),
    table: memoryTable(
      notes.map((text, index) => ({ id: `r${index}`, text })),
      { key: "id" },
    ),
    asking: {
      sort: { prepared: prepare(sort) as never, version, model },
      act: { prepared: prepare(react) as never, version: 1, model },
    },
    model,
    ledger: memoryLedger(),
    clock: fakeClock(),
  };
}

const grave: Partial<PlanShape> = { review: { hold: { grave: "row.level >= 4" } } };
const DAY = 86_400_000;

describe("values that are held", () => {
  it("stay out of the table, and later steps wait and say so", async () => {
    const one = world(["hit 5", "slip 2"], grave);
    const report = await fill(one);
    expect(report.steps["sort"]).toMatchObject({ held: 1, filled: 1 });
    expect(report.steps["act"]).toMatchObject({ blank: 1, filled: 1 });
    expect(one.table.rows).toEqual([
      { id: "r0", text: "hit 5", level: "", because: "", action: "" },
      { id: "r1", text: "slip 2", level: "2", because: "because slip 2", action: "wait" },
    ]);
    const { columns, reasons } = await survey(one);
    expect(columns["level"]).toEqual({ held: 1, filled: 1 });
    expect(reasons.map(({ reason }) => sentenceOf(reason))).toEqual(["held for a decision: grave", "waits for a decision on `level`"]);
    const [row] = await waitingRows(one);
    expect(row).toMatchObject({ step: "sort", key: "r0", place: "row 1", row: { text: "hit 5", id: "r0" }, rules: ["grave"], alike: 1 });
    expect(row!.values.map(({ column, value }) => [column, value])).toEqual([
      ["level", 5],
      ["because", "because hit 5"],
    ]);
  });

  it("are not asked for again, and do not keep later steps waiting where the plan says so", async () => {
    const one = world(["hit 5"], { review: { ...grave.review, waits: false } });
    await fill(one);
    expect(one.table.rows[0]).toEqual({ id: "r0", text: "hit 5", level: "", because: "", action: "call" });
    expect(await fill(one)).toMatchObject({ asked: 0, held: 1 });
    expect(one.model.requests).toHaveLength(2);
  });

  it("leave what stands: the earlier value, and columns that the rule does not hold", async () => {
    const one = world(["slip 2"], { review: { hold: { grave: { when: "row.level >= 4", columns: ["level"] } } } });
    await fill(one);
    one.table.rows[0]!["text"] = "hit 5";
    await fill(one);
    expect(one.table.rows[0]).toMatchObject({ level: "2", because: "because hit 5" });
    expect((await survey(one)).columns).toMatchObject({ level: { held: 1 }, because: { filled: 1 } });
  });

  it("are those of the answer that has the part which a rule names, and no other step's", async () => {
    const one = world(["hit 5", "slip 2"], { review: { hold: { grave: "answer.parts.level >= 4" } } });
    await fill(one);
    expect(one.table.rows[1]).toMatchObject({ level: "2", action: "wait" });
    expect((await waitingRows(one)).map(({ step, key }) => [step, key])).toEqual([["sort", "r0"]]);
  });

  it("are held where a rule cannot be evaluated, and go once the plan has no such rule any more", async () => {
    const one = world(["slip 2"], { review: { hold: { odd: "row.text > 3" } } });
    await fill(one);
    expect(one.table.rows[0]!["level"]).toBe("");
    expect(await fill({ ...one, plan: makePlan({ name: "p", table: { file: "t.csv", key: "id" }, steps }) })).toMatchObject({ asked: 1 });
    expect(one.table.rows[0]).toMatchObject({ level: "2", action: "wait" });
  });

  it("are accepted, or left blank, by time where the plan says so, and the cell tells it", async () => {
    for (const [then, level, told] of [
      ["accept", "5", "accepted, since nobody decided in 3 days"],
      ["leaveBlank", "", "left blank, since nobody decided in 3 days"],
    ] as const) {
      // oxlint-disable-next-line unicorn/no-thenable -- a word, never a function
      const one = world(["hit 5"], { review: { ...grave.review, overdue: { afterDays: 3, then } } });
      await fill(one);
      one.clock.sleep(2 * DAY);
      expect(await fill(one)).toMatchObject({ held: 1 });
      one.clock.sleep(DAY);
      await fill(one);
      expect(one.table.rows[0]!["level"]).toBe(level);
      const { notes, reasons } = await survey(one);
      expect([...notes.map(({ remark }) => remark), ...reasons.map(({ reason }) => reason)].map(sentenceOf)).toContain(told);
      expect(await fill(one)).toMatchObject({ asked: 0 });
    }
  });
});

describe("a decision", () => {
  it("accepts, edits and rejects; the table takes it when it is next written, and later steps go on", async () => {
    const one = world(["hit 5", "hit 4", "crash 5"], grave);
    await fill(one);
    await decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "accept" }, because: { how: "accept" } }, by: "ada" });
    await decideRow(one, {
      step: "sort",
      key: "r1",
      columns: { level: { how: "edit", value: "3" }, because: { how: "accept" } },
      by: "ada",
    });
    const reject = { how: "reject", reason: "not ours" } as const;
    await decideRow(one, { step: "sort", key: "r2", columns: { level: reject, because: reject }, by: "ada" });
    expect(await writeDecided(one)).toMatchObject({ written: true });
    expect(one.table.rows.map((row) => [row["level"], row["because"]])).toEqual([
      ["5", "because hit 5"],
      ["3", "because hit 4"],
      ["", ""],
    ]);
    expect(await waitingRows(one)).toEqual([]);
    const asked = one.model.requests.length;
    await fill(one);
    expect(one.table.rows.map((row) => row["action"])).toEqual(["call", "wait", ""]);
    // Neither decided value is asked for again; what is rejected gives nothing to a later step.
    expect(one.model.requests.slice(asked).filter(({ schemaName }) => schemaName === "sort")).toEqual([]);
    expect((await survey(one)).reasons.map(({ reason }) => sentenceOf(reason))).toContain("rejected: not ours");
  });

  it("is refused for another answer than the one that was judged, for a value that is none of the kind, and for what is not held", async () => {
    const one = world(["hit 5"], grave);
    await fill(one);
    const [row] = await waitingRows(one);
    const judged = Object.fromEntries(row!.values.map((value) => [value.column, value.judged]));
    one.table.rows[0]!["text"] = "hit 4";
    await fill(one);
    const decide = (columns: Parameters<typeof decideRow>[1]["columns"], marks?: Record<string, string>): Promise<unknown> =>
      decideRow(one, { step: "sort", key: "r0", columns, judged: marks, by: "ada" });
    await expect(decide({ level: { how: "accept" } }, judged)).rejects.toMatchObject({ code: "answerMovedOn" });
    await expect(decide({ level: { how: "edit", value: "9" } })).rejects.toMatchObject({ code: "decisionUnfit" });
    await expect(decide({ colour: { how: "accept" } })).rejects.toMatchObject({ code: "nothingToDecide" });
    await expect(decideRow(one, { step: "sort", key: "zz", columns: {}, by: "ada" })).rejects.toMatchObject({ code: "nothingToDecide" });
    expect((await waitingRows(one))[0]!.values[0]).toMatchObject({ value: 4 });
  });

  it("is about its answer: a changed row is held again, what a person put there stands, and what was decided is shown", async () => {
    const one = world(["hit 5"], grave);
    await fill(one);
    await decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "edit", value: "4" } }, by: "ada" });
    await decideRow(one, { step: "sort", key: "r0", columns: { because: { how: "accept" } }, by: "ada" });
    await writeDecided(one);
    one.table.rows[0]!["text"] = "slip 2";
    await fill(one);
    expect(one.table.rows[0]!["level"]).toBe("4");
    const [row] = await waitingRows(one);
    expect(row!.rules).toEqual(["decidedBefore"]);
    expect(row!.values).toMatchObject([{ column: "level", value: 2, stands: 4, earlier: [{ how: "edit", given: 4, by: "ada" }] }]);
  });

  it("is refused while another process is at the row, and nothing is kept", async () => {
    const one = world(["hit 5"], grave);
    await fill(one);
    const letGo = (await claim(one.ledger, one.clock, "decide:p sort r0"))!;
    const said = { step: "sort", key: "r0", columns: { level: { how: "accept" as const } }, by: "ada" };
    await expect(decideRow(one, said)).rejects.toMatchObject({ code: "rowBusy" });
    expect((await waitingRows(one)).map(({ key }) => key)).toEqual(["r0"]);
    await letGo();
    expect((await decideRow(one, said)).columns).toEqual({ level: "decided" });
  });

  it("needs two who say the same where the plan wants that, at the same moment, too", async () => {
    const one = world(["hit 5"], { review: { ...grave.review, people: 2 } });
    await fill(one);
    const say = (by: string, value: string): ReturnType<typeof decideRow> =>
      decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "edit", value } }, by });
    const both = await Promise.all([say("ada", "3"), say("bo", "4")]);
    expect(both.map(({ columns }) => columns["level"])).toEqual(["open", "disputed"]);
    expect((await waitingRows(one))[0]!.values[0]).toMatchObject({ isDisputed: true, said: [{ by: "ada" }, { by: "bo" }] });
    expect((await say("ada", "3")).columns["level"]).toBe("disputed");
    expect((await say("cy", "4")).columns["level"]).toBe("decided");
    await writeDecided(one);
    expect(one.table.rows[0]!["level"]).toBe("4");
    expect((await peopleFigures(one)).together).toMatchObject({ judged: 1, same: 0 });
  });

  it("is taken back at any time: the value waits as before", async () => {
    const one = world(["hit 5"], grave);
    await fill(one);
    const { act } = await decideRow(one, {
      step: "sort",
      key: "r0",
      columns: { level: { how: "edit", value: "1" }, because: { how: "reject" } },
      by: "ada",
    });
    await writeDecided(one);
    expect(one.table.rows[0]).toMatchObject({ level: "1" });
    expect(await undoDecision(one, { act, by: "bo" })).toMatchObject({ key: "r0", columns: ["level", "because"], movedOn: [] });
    await writeDecided(one);
    expect(one.table.rows[0]!["level"] ?? "").toBe("");
    expect((await waitingRows(one))[0]).toMatchObject({
      row: { text: "hit 5" },
      rules: ["grave"],
      values: [{ column: "level", value: 5 }, { column: "because" }],
    });
    await expect(undoDecision(one, { act, by: "bo" })).rejects.toMatchObject({ code: "notFound" });
  });

  it("has the model asked again with what the person said, and what comes of it is looked at", async () => {
    const one = world(["slip 4"], grave);
    await fill(one);
    await decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "askAgain", says: "it was worse" } }, by: "ada" });
    // It waits for the model now, not for a person.
    expect(await waitingRows(one)).toEqual([]);
    await fill(one);
    expect(messageText(one.model.requests.at(-1)!.messages.at(-1)!)).toContain("it was worse");
    const [row] = await waitingRows(one);
    expect(row).toMatchObject({ values: [{ value: 5 }, {}], rules: ["grave", "askedAgain"] });
    const asked = one.model.requests.length;
    expect(await fill(one)).toMatchObject({ asked: 0 });
    await decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "accept" }, because: { how: "accept" } }, by: "ada" });
    expect(await fill(one)).toMatchObject({ asked: 1 });
    expect(one.model.requests.slice(asked).map(({ schemaName }) => schemaName)).toEqual(["react"]);
    expect(one.table.rows[0]).toMatchObject({ level: "5", action: "call" });
  });
});

describe("whose a cell is", () => {
  const withEdits = (edits: PlanShape["edits"]): Partial<PlanShape> => ({ edits });

  it("is the machine's alone: a changed cell is set back, told, and kept in the ledger", async () => {
    const one = world(["slip 2", ""], withEdits({ level: "refuse" }));
    await fill(one);
    Object.assign(one.table.rows[0]!, { level: "5", because: "mine" });
    one.table.rows[1]!["level"] = "3";
    const report = await fill(one);
    expect(one.table.rows.map((row) => row["level"])).toEqual(["2", ""]);
    expect(one.table.rows[0]!["because"]).toBe("mine");
    expect(report.notes.map(({ remark, rows }) => [sentenceOf(remark), rows])).toContainEqual([
      "level: changed by hand, and set back: the column is the machine's",
      2,
    ]);
    expect(await one.ledger.decisions.of("p", "sort", "r0")).toMatchObject([{ how: "setBack", given: "5", value: 2 }]);
    expect(await fill(one)).toMatchObject({ asked: 0, newEdits: 0, written: false });
  });

  it("is a person's until what it rests on changes; then it is asked and held, and the person's stands until decided", async () => {
    const one = world(["slip 2", "slip 3"], withEdits("untilChanged"));
    await fill(one);
    for (const row of one.table.rows) row["level"] = "1";
    await fill(one);
    expect(one.table.rows.map((row) => row["level"])).toEqual(["1", "1"]);
    for (const row of one.table.rows) row["text"] += " hit";
    await fill(one);
    expect(one.table.rows.map((row) => row["level"])).toEqual(["1", "1"]);
    expect(one.table.rows[0]!["because"]).toBe("because slip 2 hit");
    expect(await waitingRows(one)).toMatchObject([
      { key: "r0", rules: ["edited"], values: [{ column: "level", value: 2, edited: "1" }] },
      { key: "r1" },
    ]);
    await decideRow(one, { step: "sort", key: "r0", columns: { level: { how: "accept" } }, by: "ada" });
    await decideRow(one, { step: "sort", key: "r1", columns: { level: { how: "reject" } }, by: "ada" });
    await writeDecided(one);
    expect(one.table.rows.map((row) => row["level"])).toEqual(["2", "1"]);
    expect(await fill(one)).toMatchObject({ newEdits: 0 });
    expect(one.table.rows.map((row) => row["level"])).toEqual(["2", "1"]);
    expect(await waitingRows(one)).toEqual([]);
  });

  it("is touched by no step where the row is frozen, by what is filled, too; and no circle arises", async () => {
    const one = world(["slip 2", "hit 5"], { freeze: 'row.action == "call"' });
    await fill(one);
    for (const row of one.table.rows) row["text"] += " 1";
    one.table.rows.forEach((row) => (row["text"] = row["text"]!.replace(/^\w+ \d/, "slip 3")));
    await fill(one);
    expect(one.table.rows.map((row) => [row["level"], row["action"]])).toEqual([
      ["3", "wait"],
      ["5", "call"],
    ]);
  });

  it("is out of date only by the columns that count", async () => {
    const two = template({
      name: "sort",
      inputs: { note: { kind: "text" }, place: { kind: "text" } },
      task: "{{ note }} {{ place }}",
      answer: { level: { kind: "score", from: 1, to: 5 } },
    });
    const model = scriptedModel((request) => JSON.stringify({ level: Number(/\d/.exec(fenced(request, "note"))![0]) }));
    const one = {
      plan: makePlan({
        name: "p",
        table: { file: "t.csv", key: "id" },
        steps: { sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level" }, staleBy: ["text"] } },
      }),
      table: memoryTable([{ id: "a", text: "x 1", place: "aft" }], { key: "id" }),
      asking: { sort: { prepared: prepare(two) as never, version: 1, model } },
      ledger: memoryLedger(),
      clock: fakeClock(),
    };
    await fill(one);
    one.table.rows[0]!["place"] = "fore";
    expect(await fill(one)).toMatchObject({ asked: 0, filled: 1 });
    expect((await survey(one)).columns["level"]).toEqual({ filled: 1 });
    one.table.rows[0]!["text"] = "x 2";
    expect(await fill(one)).toMatchObject({ asked: 1 });
  });

  it("stands though it is out of date where a person says so, until it changes once more", async () => {
    const one = world(["slip 2"]);
    await fill(one);
    one.table.rows[0]!["text"] = "slip 3";
    expect(await letStand(one, { by: "ada" })).toEqual({ sort: 1, act: 0 });
    expect(await fill(one)).toMatchObject({ asked: 0 });
    expect(one.table.rows[0]!["level"]).toBe("2");
    expect((await survey(one)).notes.map(({ remark }) => sentenceOf(remark))).toContain("out of date, left to stand by ada");
    one.table.rows[0]!["text"] = "slip 4";
    await fill(one);
    expect(one.table.rows[0]!["level"]).toBe("4");
  });

  it("is as before a run that is taken back; what a person did since stays", async () => {
    const one = world(["slip 2", "slip 3", "hit 4"]);
    await fill(one);
    one.clock.sleep(10);
    for (const row of one.table.rows) row["text"] = row["text"]!.replace(/\d/, "1");
    one.table.rows.push({ id: "r3", text: "new 3" });
    const { run } = await fill(one);
    one.table.rows[1]!["level"] = "5";
    await decideRow(one, { step: "sort", key: "r2", columns: { level: { how: "edit", value: "3" } }, by: "ada" });
    const undone = await undoRun(one, run);
    expect(undone).toMatchObject({ rows: { sort: 3 }, movedOn: 1, keys: ["r2"], written: true });
    expect(one.table.rows.map((row) => row["level"] ?? "")).toEqual(["2", "5", "3", ""]);
    expect(one.table.rows.map((row) => row["because"] ?? "")).toEqual(["because slip 2", "because slip 3", "because hit 1", ""]);
    await expect(undoRun(one, "nope")).rejects.toMatchObject({ code: "notFound" });
    const asked = one.model.requests.length;
    await fill(one);
    // The answers are known still; only what follows from the person's value is new.
    expect(one.model.requests.slice(asked).map(({ schemaName }) => schemaName)).toEqual(["react"]);
    expect(one.table.rows[0]!["level"]).toBe("1");
  });
});

describe("a random check", () => {
  const many = Array.from({ length: 120 }, (_, index) => `note ${1 + (index % 4)} of ${index}`);

  it("tells how many cells are wrong, by value, too; each cell counts once", async () => {
    const one = world(many, { review: { spotCheck: { rows: 20, seed: 3 } } });
    await fill(one);
    const check = await drawCheck(one, { step: "sort", by: "ada" });
    expect(check).toMatchObject({ population: 120, values: { level: { 1: 30, 2: 30, 3: 30, 4: 30 } }, version: 1 });
    expect(check.rows.map(({ key }) => key)).toEqual((await drawCheck(one, { step: "sort", by: "bo" })).rows.map(({ key }) => key));
    const { open } = await rowsToCheck(one, check, 20);
    expect(open).toHaveLength(20);
    const judge = async (index: number, value: number): Promise<void> => {
      const { row } = open[index]!;
      const isSame = row.values["level"] === value;
      await decideRow(one, {
        step: "sort",
        key: row.key,
        columns: { level: isSame ? { how: "accept" } : { how: "edit", value: String(value) }, because: { how: "accept" } },
        by: "ada",
        judged: open[index]!.columns,
        check: check.id,
        blind: true,
      });
    };
    for (const [index, { row }] of open.entries()) await judge(index, index === 7 ? 5 : (row.values["level"] as number));
    await expect(judge(7, 2)).rejects.toMatchObject({ code: "answerMovedOn" });
    const figures = await checkFigures(one, check);
    const level = figures.columns.find(({ column }) => column === "level")!;
    // By scipy.stats.hypergeom: the least and the most of 120 for which one of 20 is not rarer than 2.5 %.
    expect(level).toMatchObject({ checked: 20, wrong: 1, bounds: { low: 1, high: 27 } });
    expect(Object.values(level.byValue).map(({ population }) => population)).toEqual([30, 30, 30, 30]);
    expect(Object.values(level.byValue).reduce((sum, { wrong }) => sum + wrong, 0)).toBe(1);
    expect(figures.left).toBe(0);
    // A new draw is from those that nobody has judged.
    expect(await drawCheck(one, { step: "sort", by: "ada" })).toMatchObject({ population: 100 });
    expect((await peopleFigures(one, { names: true })).reviewers).toMatchObject([{ by: "ada", decided: 40, changed: 1 }]);
    expect((await peopleFigures(one)).reviewers[0]!.by).toBe("reviewer 1");
  });

  it("keeps a column out of the table until it shows that it is good enough; later rows are a population of their own", async () => {
    const one = world(many, { review: { release: { wrongAtMost: 0.2, sure: 0.9, columns: ["level"] } } });
    await fill(one);
    expect(one.table.rows[0]!["level"]).toBe("");
    expect(one.table.rows[0]!["because"]).toBe("because note 1 of 0");
    // Whole columns are not offered one by one.
    expect(await waitingRows(one)).toEqual([]);
    const check = await drawCheck(one, { step: "sort", by: "ada" });
    let figures = await checkFigures(one, check);
    expect(figures.columns[0]).toMatchObject({ column: "level", release: { mostWrong: 24, isShown: false } });
    const needed = figures.columns[0]!.release!.more!;
    expect(figures.left).toBe(needed);
    for (let checked = 0; !figures.columns[0]!.release!.isShown; checked++) {
      expect(checked).toBeLessThan(needed);
      const [next] = (await rowsToCheck(one, check, 120)).open;
      const accept = { how: "accept" } as const;
      const columns = { level: accept, because: accept };
      await decideRow(one, { step: "sort", key: next!.row.key, columns, by: "ada", check: check.id });
      figures = await checkFigures(one, check);
    }
    expect(figures.columns[0]!.checked).toBe(needed);
    one.table.rows.push({ id: "late", text: "late 2" });
    expect(await releaseShown(one, figures, "ada")).toEqual(["level"]);
    expect(await writeDecided(one)).toMatchObject({ released: 120 - needed });
    expect(one.table.rows.filter((row) => row["level"]).length).toBe(120);
    await fill(one);
    expect(one.table.rows.at(-1)!["level"]).toBe("");
    expect((await survey(one)).columns["level"]).toEqual({ filled: 120, held: 1 });
    expect(await currentCheck(one, "sort")).toMatchObject({ id: check.id });
  });

  it("has nothing to draw from where nothing is filled", async () => {
    await expect(drawCheck(world(["a 1"]), { step: "sort", by: "ada" })).rejects.toMatchObject({ code: "nothingToCheck" });
  });
});
