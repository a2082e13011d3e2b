import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { survey, type FillSetup } from "../cells/index.js";
import { fill } from "../fill/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan, type PlanShape } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { changeCell, restoreCell, writeDecided } from "./index.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { level: { kind: "score", from: 1, to: 5 } },
});

interface World extends FillSetup {
  readonly table: MemoryTable;
}

function world(notes: readonly string[], shape: Partial<PlanShape> = {}): World {
  const model = scriptedModel((request) => JSON.stringify({ level: Number(/\d/.exec(fenced(request, "note"))?.[0]) }));
  return {
    plan: makePlan({
      name: "p",
      table: { file: "t.csv", key: "id" },
      steps: { sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level" } } },
      ...shape,
    }),
    table: memoryTable(
      notes.map((text, index) => ({ id: `r${index}`, text })),
      { key: "id" },
    ),
    asking: { sort: { prepared: prepare(sort) as never, version: 1, model } },
    ledger: memoryLedger(),
    clock: fakeClock(),
  };
}

const levels = (one: World): string[] => one.table.rows.map((row) => row["level"] ?? "");

describe("changing a cell", () => {
  it("puts a person's value where the model's stood, and the model's back", async () => {
    const one = world(["hit 5", "slip 2"]);
    await fill(one);
    await changeCell(one, { key: "r0", column: "level", value: " 3 ", by: "Ana" });
    await writeDecided(one);
    expect(levels(one)).toEqual(["3", "2"]);
    await fill(one, { refill: "all" });
    expect(levels(one)).toEqual(["3", "2"]);
    expect(await restoreCell(one, { key: "r0", column: "level", by: "Ana" })).toMatchObject({ step: "sort", value: 5 });
    await writeDecided(one);
    expect(levels(one)).toEqual(["5", "2"]);
    expect((await survey(one)).columns["level"]).toEqual({ filled: 2 });
    expect((await one.ledger.decisions.of("p", "sort", "r0")).map(({ how, by }) => `${how} ${by}`)).toEqual(["edit Ana", "accept Ana"]);
  });

  it("fills a cell that has no answer, which is then a person's", async () => {
    const one = world(["", "slip 2"]);
    await fill(one);
    expect(levels(one)).toEqual(["", "2"]);
    await changeCell(one, { key: "r0", column: "level", value: "4", by: "Ana" });
    await writeDecided(one);
    expect(levels(one)).toEqual(["4", "2"]);
    expect((await survey(one)).columns["level"]).toEqual({ edited: 1, filled: 1 });
    await changeCell(one, { key: "r0", column: "level", value: "", by: "Ana" });
    await writeDecided(one);
    expect(levels(one)).toEqual(["", "2"]);
  });

  it("gives the model's value back over what was changed in the file itself", async () => {
    const one = world(["hit 5"]);
    await fill(one);
    one.table.rows[0]!["level"] = "1";
    await fill(one);
    expect(levels(one)).toEqual(["1"]);
    await restoreCell(one, { key: "r0", column: "level", by: "Ana" });
    await writeDecided(one);
    expect(levels(one)).toEqual(["5"]);
    await fill(one);
    expect((await survey(one)).columns["level"]).toEqual({ filled: 1 });
  });

  it("leaves a cell blank that is cleared, and takes only what is of its kind", async () => {
    const one = world(["hit 5"]);
    await fill(one);
    await expect(changeCell(one, { key: "r0", column: "level", value: "9", by: "Ana" })).rejects.toMatchObject({ code: "decisionUnfit" });
    await expect(changeCell(one, { key: "r0", column: "lvl", value: "1", by: "Ana" })).rejects.toMatchObject({ code: "notFound" });
    await expect(restoreCell(one, { key: "r0", column: "level", by: "Ana" })).rejects.toMatchObject({ code: "nothingToDecide" });
    await changeCell(one, { key: "r0", column: "level", value: "", by: "Ana", reason: "no report" });
    await writeDecided(one);
    expect(levels(one)).toEqual([""]);
    expect((await one.ledger.decisions.of("p", "sort", "r0")).map(({ how, reason }) => `${how} ${reason}`)).toEqual(["reject no report"]);
    await restoreCell(one, { key: "r0", column: "level", by: "Ana" });
    await writeDecided(one);
    expect(levels(one)).toEqual(["5"]);
  });
});
