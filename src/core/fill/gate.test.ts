import { describe, expect, it } from "vitest";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan } from "../plan/index.js";
import { standin } from "../standin/index.js";
import { prepare, template, type Prepared } from "../template/index.js";
import { readGate } from "./gate.js";

const sort = prepare(
  template({
    name: "sort",
    inputs: { note: { kind: "text" } },
    task: "{{ note }}",
    answer: { topic: { kind: "choice", options: ["fire", "spill"] }, bad: { kind: "yesNo" } },
  }),
) as unknown as Prepared;
const model = standin();

const FIGURES = {
  samples: 100,
  asked: 100,
  reused: 0,
  unanswered: 0,
  tokensIn: 1,
  tokensOut: 1,
  spent: 0,
  worth: 0,
  tookMs: 1,
  answerMs: 1,
};

/** A trial as its run keeps it; the first versions kept no more. */
const trial = (version: number, by: string, accuracies: Record<string, number>) => ({
  run: "t",
  template: "sort",
  version,
  model: by,
  file: "samples/sort.csv",
  ...FIGURES,
  disagreements: [],
  parts: Object.entries(accuracies).map(([part, accuracy]) => ({
    part,
    kind: "choice",
    graded: 100,
    right: accuracy * 100,
    unanswered: 0,
    verdicts: {},
    accuracy,
    interval: { low: accuracy - 0.1, high: accuracy + 0.1 },
  })),
});

async function gateAfter(...trials: (ReturnType<typeof trial> & { readonly format?: number })[]) {
  const ledger = memoryLedger();
  for (const [index, tally] of trials.entries()) {
    await ledger.runs.start({ id: `t${index}`, kind: "trial", subject: "sort", startedAt: index });
    await ledger.runs.end({ id: `t${index}`, endedAt: index, end: "done", tally });
  }
  const plan = makePlan({
    name: "log",
    table: { file: "t.csv", key: "id" },
    steps: { sort: { template: "sort", inputs: { note: "note" }, fill: { topic: "topic" } } },
    gate: { step: "sort", part: "topic", accuracyAtLeast: 0.75 },
  });
  return readGate({ plan, ledger, asking: { sort: { prepared: sort, version: 2, model } } });
}

describe("a gate", () => {
  it("is closed until a trial of this version with this model graded this part", async () => {
    const untried = {
      open: false,
      template: "sort",
      reason: `the gate wants 75.0 % right on topic, and version 2 of sort has not been tried with ${model.id} yet`,
    };
    expect(await gateAfter()).toEqual(untried);
    expect(
      await gateAfter(trial(1, model.id, { topic: 0.9 }), trial(2, "other", { topic: 0.9 }), trial(2, model.id, { bad: 0.9 })),
    ).toEqual(untried);
  });

  it("goes by the newest such trial, and tells its figure with what it could be", async () => {
    expect(await gateAfter(trial(2, model.id, { bad: 0.2, topic: 0.75 }))).toEqual({ open: true });
    expect(
      await gateAfter(
        trial(2, model.id, { topic: 0.9 }),
        trial(2, model.id, { bad: 0.95, topic: 0.7 }),
        trial(1, model.id, { topic: 0.99 }),
      ),
    ).toEqual({
      open: false,
      template: "sort",
      reason: "the gate wants 75.0 % right on topic; the newest trial of version 2 shows 70.0 % (60.0 to 80.0)",
    });
  });

  it("is open where a plan has none", async () => {
    const plan = makePlan({ name: "log", table: { file: "t.csv", key: "id" }, steps: { head: { set: { head: "{{ row.id }}" } } } });
    expect(await readGate({ plan, ledger: memoryLedger(), asking: {} })).toEqual({ open: true });
  });

  it("takes no notice of a trial that is kept in another form", async () => {
    const newer = { ...trial(2, model.id, { topic: 0.9 }), format: 2 };
    const torn = { ...trial(2, model.id, { topic: 0.9 }), parts: "none" };
    expect(await gateAfter(newer, torn as never)).toMatchObject({ open: false, reason: expect.stringContaining("not been tried") });
    expect(await gateAfter({ ...newer, format: 1 })).toEqual({ open: true });
  });
});
