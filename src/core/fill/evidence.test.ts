import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { explainCells, type FillSetup } from "../cells/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { fill } from "./fill.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "Sort: {{ note }}",
  answer: { topic: { kind: "choice", options: ["fire", "spill"], evidence: { in: ["note"] } }, level: { kind: "score", from: 1, to: 5 } },
});
const steps = {
  sort: { template: "sort", fill: { topic: "topic", words: "topic.quote", from: "topic.source", at: "topic.place", level: "level" } },
};

/** A model that quotes what it reads, but for notes with a question mark: there it makes words up. */
const world = (hold?: Record<string, string>): FillSetup & { readonly table: MemoryTable } => ({
  plan: makePlan({
    name: "log",
    table: { file: "t.csv", key: "id" },
    steps,
    ...(hold
      ? { review: { hold: Object.fromEntries(Object.entries(hold).map(([name, when]) => [name, { when, columns: ["topic"] }])) } }
      : {}),
  }),
  table: memoryTable(
    [
      { id: "1", note: "Heavy  SMOKE aft." },
      { id: "2", note: "oil, perhaps?" },
    ],
    { key: "id" },
  ),
  asking: {
    sort: {
      prepared: prepare(sort) as never,
      version: 1,
      model: scriptedModel((request) => {
        const isSure = !fenced(request, "note").includes("?");
        return JSON.stringify({ topic: { quote: isSure ? "heavy smoke" : "=oil all over", value: isSure ? "fire" : "spill" }, level: 4 });
      }),
    },
  },
  ledger: memoryLedger(),
  clock: fakeClock(),
});

describe("columns of evidence", () => {
  it("hold the quotation as it stands in the row, where it comes from and where it stands; what has none is blank and says why", async () => {
    const one = world();
    expect(await fill(one)).toMatchObject({ filled: 2, failed: 0, end: "done" });
    expect(one.table.rows).toEqual([
      { id: "1", note: "Heavy  SMOKE aft.", topic: "fire", words: "Heavy  SMOKE", from: "note", at: "characters 1 to 12", level: "4" },
      { id: "2", note: "oil, perhaps?", topic: "", words: "", from: "", at: "", level: "4" },
    ]);
    const [cells] = await explainCells(one, "2", "topic");
    expect(inWords(cells!.record!)).toHaveProperty("notes", ["topic: blank, for the words given as evidence do not stand in the row"]);
    expect(cells!.answer?.answer.evidence?.["topic"]).toEqual({ found: "never", said: "=oil all over", value: "spill" });
    expect(await fill(one)).toMatchObject({ asked: 0 });
  });

  it("is held with its value where the plan says so", async () => {
    const one = world({ unfounded: '"unfounded" in answer.notes' });
    await fill(one);
    expect(one.table.rows.map(({ topic, level }) => [topic, level])).toEqual([
      ["fire", "4"],
      ["", "4"],
    ]);
    const [cells] = await explainCells(one, "2", "topic");
    expect(cells).toMatchObject({ state: "held", record: { held: { values: { topic: "spill" }, by: { unfounded: ["topic"] } } } });
  });
});
