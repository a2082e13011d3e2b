import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { memoryLedger } from "../ledger/index.js";
import { mcnemarExact, wilson } from "../statistics/index.js";
import { prepare, template } from "../template/index.js";
import { compare } from "./compare.js";
import { readSamples } from "./samples.js";
import { earlierTrial } from "./recorded.js";
import { trial } from "./trial.js";
import { messageText } from "../ground/index.js";

const prepared = prepare(
  template({
    name: "sort",
    inputs: { note: { kind: "text" } },
    task: "{{ note }}",
    answer: { why: { kind: "text" }, topic: { kind: "choice", options: ["fire", "spill"] }, level: { kind: "score", from: 1, to: 5 } },
  }),
);
const columns = ["id", "Note", "topic", "level"];
const rowsOf = (...rows: [string, string, string, string][]) =>
  rows.map(([id, Note, topic, level], index) => ({ place: `row ${index + 2}`, values: { id, Note, topic, level } }));
const ROWS = rowsOf(["a", "smoke", "fire", "4"], ["b", "oil", "spill", "2"], ["c", "oil again", "spill", ""], ["d", "flames", "fire", "5"]);
const samplesOf = (rows = ROWS) => readSamples(prepared, "s.csv", columns, rows, { keyColumn: "id" });
const model = () =>
  scriptedModel((request) =>
    JSON.stringify({
      why: `because ${fenced(request, "note")}`,
      topic: fenced(request, "note").includes("oil again") ? "fire" : fenced(request, "note").includes("oil") ? "spill" : "fire",
      level: 4,
    }),
  );
const setup = (overrides = {}) => ({
  prepared,
  version: 1,
  model: model(),
  ledger: memoryLedger(),
  clock: fakeClock(),
  samples: samplesOf(),
  ...overrides,
});

describe("statistics", () => {
  it("Wilson intervals agree with published values", () => {
    // Newcombe 1998, Statistics in Medicine 17:857-872, table I, method 3: 81/263, 15/148, 0/20, 1/29.
    for (const [right, total, low, high] of [
      [81, 263, 0.2553, 0.3662],
      [15, 148, 0.0624, 0.1605],
      [0, 20, 0, 0.1611],
      [1, 29, 0.0061, 0.1718],
    ] as const) {
      const interval = wilson(right, total);
      expect(interval.low).toBeCloseTo(low, 4);
      expect(interval.high).toBeCloseTo(high, 4);
    }
    expect(wilson(0, 0)).toEqual({ low: 0, high: 1 });
    fc.assert(
      fc.property(fc.nat(500), fc.nat(500), (right, wrong) => {
        const { low, high } = wilson(right, right + wrong);
        expect(low).toBeGreaterThanOrEqual(0);
        expect(high).toBeLessThanOrEqual(1);
        if (right + wrong > 0) expect(low <= right / (right + wrong) && right / (right + wrong) <= high).toBe(true);
      }),
    );
  });

  it("McNemar's exact test is the two-sided binomial", () => {
    expect(mcnemarExact(0, 0)).toBe(1);
    expect(mcnemarExact(5, 0)).toBeCloseTo(2 / 32, 12);
    expect(mcnemarExact(1, 7)).toBeCloseTo((2 * (1 + 8)) / 256, 12);
    expect(mcnemarExact(3, 3)).toBe(1);
    expect(mcnemarExact(400, 600)).toBeCloseTo(mcnemarExact(600, 400), 15);
    expect(mcnemarExact(400, 600)).toBeLessThan(1e-9);
  });
});

describe("samples", () => {
  it("find their columns by name and report labels that do not fit, with the option that was meant", () => {
    const { graded, samples, unfit } = samplesOf(rowsOf(["a", "smoke", "Fire", "9"], ["b", "", "spill", "1"], ["c", "oil", "spil", ""]));
    expect(graded).toEqual(["topic", "level"]);
    expect(samples).toMatchObject([{ id: "a", truth: { topic: "fire" } }]);
    expect(unfit.map(({ id, what, problem, near }) => [id, what, problem, near])).toEqual([
      ["a", "level", "the label is not a whole number from 1 to 5", undefined],
      ["b", "row", "note is blank", undefined],
      ["c", "topic", "the label is none of the options", "spill"],
    ]);
  });

  it("say what is missing", () => {
    expect(() => readSamples(prepared, "s.csv", ["id", "notes", "topic"], [], { keyColumn: "id" })).toThrow(
      "no column is named after the input `note` (is `notes` meant?)",
    );
    expect(() => readSamples(prepared, "s.csv", ["id", "note"], [], { keyColumn: "id" })).toThrow("so there is nothing to grade");
  });
});

describe("a trial", () => {
  it("grades part by part, with intervals, confusion, and the rows that disagree with the model's reason", async () => {
    const report = await trial(setup());
    expect(report).toMatchObject({ samples: 4, asked: 4, reused: 0, unanswered: 0, spent: 440 });
    const [topic, level] = report.parts;
    expect(topic).toMatchObject({
      part: "topic",
      graded: 4,
      right: 3,
      accuracy: 0.75,
      confusion: {
        labels: ["fire", "spill"],
        counts: [
          [2, 0, 0],
          [1, 1, 0],
        ],
      },
    });
    expect(topic!.interval).toEqual(wilson(3, 4));
    expect(level).toMatchObject({ graded: 3, right: 1, numbers: { meanAbsoluteError: 1 } });
    expect(report.disagreements[0]).toEqual({
      id: "c",
      place: "row 4",
      part: "topic",
      truth: "spill",
      answer: "fire",
      why: "because oil again",
    });
  });

  it("asks only about what it does not know, and costs nothing again", async () => {
    const one = setup();
    await trial(one);
    expect(
      await trial({ ...one, samples: samplesOf([...ROWS, ...rowsOf(["e", "new", "fire", "1"], ["f", "new", "fire", "1"])]) }),
    ).toMatchObject({ asked: 1, reused: 5, spent: 110, worth: 6 * 110 });
    expect(one.model.requests).toHaveLength(5);
  });

  it("counts rows without an answer as wrong, and says why", async () => {
    const report = await trial(setup({ model: scriptedModel(() => ({ finish: "refused" })) }));
    expect(report.unanswered).toBe(4);
    expect(report.parts[0]).toMatchObject({ right: 0, unanswered: 4 });
    expect(report.disagreements[0]).toMatchObject({ answer: null, why: "the model refused" });
  });

  it("finds the earlier trial of another version, and compares row by row", async () => {
    const one = setup();
    const first = await trial(one);
    one.clock.advance(1000);
    const better = prepare({ ...prepared.template, task: "Better. {{ note }}" });
    const second = await trial({
      ...one,
      prepared: better,
      version: 2,
      model: scriptedModel((request) =>
        JSON.stringify({ why: "x", topic: fenced(request, "note").includes("oil") ? "spill" : "fire", level: 4 }),
      ),
    });
    expect((await earlierTrial(one.ledger, second))?.version).toBe(first.version);
    expect(compare(second.parts, first.parts)[0]).toMatchObject({
      part: "topic",
      rows: 4,
      difference: 0.25,
      won: 1,
      lost: 0,
      wonIds: ["c"],
      exactP: 1,
      midP: 0.5,
      beyondChance: false,
    });
  });
});

it("tells whether the second look helped, and grades no row that the template shows as an example", async () => {
  const look = prepare(
    template({
      ...prepared.template,
      secondLook: { checks: ["Oil is a spill."] },
      examples: [{ inputs: { note: "oil" }, answer: { why: "oil", topic: "spill", level: 2 } }],
    } as never),
  ) as unknown as typeof prepared;
  const answer = (topic: string): string => JSON.stringify({ why: "x", topic, level: 4 });
  const report = await trial(
    setup({
      prepared: look,
      model: scriptedModel((request) =>
        answer(
          messageText(request.messages.at(-1)!).startsWith("Check your answer") && fenced(request, "note").includes("oil")
            ? "spill"
            : "fire",
        ),
      ),
    }),
  );
  expect(report.examples).toEqual(["b"]);
  expect(report.samples).toBe(3);
  expect(report.parts.find(({ part }) => part === "topic")).toMatchObject({ graded: 3, right: 3 });
  expect(report.secondLook!.find(({ part }) => part === "topic")).toMatchObject({ won: 1, lost: 0, rows: 3 });
});
