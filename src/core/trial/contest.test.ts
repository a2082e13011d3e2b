import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { memoryLedger } from "../ledger/index.js";
import { addToTask, prepare, readTemplate, template } from "../template/index.js";
import { compare } from "./compare.js";
import { conclusion, contest, gradeColumns } from "./contest.js";
import { drawRows, drawSealed } from "./draw.js";
import { grade, type Graded } from "./grade.js";
import { inputsMark, readSamples } from "./samples.js";
import { mistakesText } from "./suggest.js";
import { trial } from "./trial.js";

const prepared = prepare(
  template({
    name: "sort",
    inputs: { note: { kind: "text" } },
    task: "{{ note }}",
    answer: {
      topic: { kind: "choice", options: ["fire", "spill", "other"] },
      level: { kind: "score", from: 1, to: 5 },
      tags: { kind: "choices", options: ["a", "b", "c"] },
      who: { kind: "record", parts: { name: { kind: "text" }, hurt: { kind: "yesNo" } } },
    },
  }),
);
const columnsOf = (rows: readonly Record<string, string>[]) => [...new Set(rows.flatMap((row) => Object.keys(row)))];
const read = (rows: readonly Record<string, string>[], options = {}) =>
  readSamples(
    prepared,
    "s.csv",
    columnsOf(rows),
    rows.map((values, index) => ({ place: `row ${index + 2}`, values })),
    { keyColumn: "id", ...options },
  );
const whole = (parts: object): Graded => ({ parts: { topic: "fire", level: 1, tags: [], who: { name: "x", hurt: false }, ...parts } });

describe("samples", () => {
  it("take the right value from its own column, else the judge, else the majority, and tell how far people agree", () => {
    const rows = [
      { id: "1", note: "a", topic: "", "topic@ann": "fire", "topic@bob": "Fire", "topic@cy": "spill" },
      { id: "2", note: "b", topic: "other", "topic@ann": "fire", "topic@bob": "fire", "topic@cy": "fire" },
      { id: "3", note: "c", topic: "", "topic@ann": "fire", "topic@bob": "spill", "topic@cy": "" },
    ];
    const found = read(rows);
    expect(found.samples.map(({ id, truth }) => [id, truth["topic"]])).toEqual([
      ["1", "fire"],
      ["2", "other"],
    ]);
    expect(found.agreement).toMatchObject([{ part: "topic", labellers: ["ann", "bob", "cy"], rows: 3, same: 1 / 3, undecided: 1 }]);
    expect(read(rows, { judge: "BOB" }).samples.map(({ truth }) => truth["topic"])).toEqual(["fire", "other", "spill"]);
  });

  it("report doubled keys, changed inputs and labels outside the options; nothing is counted in silence", () => {
    const rows = [
      { id: "1", note: "a", topic: "fires", inputsMark: "" },
      { id: "1", note: "b", topic: "fire", inputsMark: "" },
      { id: "2", note: "changed", topic: "fire", inputsMark: inputsMark({ note: "before" }) },
      { id: "3", note: " kept\r\n", topic: "spill", inputsMark: inputsMark({ note: "kept" }) },
    ];
    const { samples, unfit } = read(rows);
    expect(samples.map(({ id }) => id)).toEqual(["3"]);
    expect(unfit.map(({ id, problem, near }) => [id, problem, near])).toEqual([
      ["1", "the label is none of the options", "fire"],
      ["1", "its key occurs twice; the first row counts", undefined],
      ["2", "its inputs changed since it was labelled; label it again", undefined],
    ]);
  });

  it("are mapped by name, and parts of records have columns of their own", () => {
    const { samples, graded } = read([{ id: "1", Text: "a", mood: "fire", "who.hurt": "yes" }], { map: { note: "Text", topic: "mood" } });
    expect([graded, samples[0]!.truth]).toEqual([["topic", "who.hurt"], { topic: "fire", "who.hurt": true }]);
    expect(
      grade(prepared, graded, samples, [whole({ who: { name: "x", hurt: true } })]).parts.map(({ part, right }) => [part, right]),
    ).toEqual([
      ["topic", 1],
      ["who.hurt", 1],
    ]);
    expect(() => read([{ id: "1", Text: "a", topic: "fire" }])).toThrow("Name it: `--map note=<column>`");
  });
});

describe("grading by kind", () => {
  const { samples } = read([
    { id: "1", note: "a", topic: "fire", level: "2", tags: "a; b", "who.name": "Kim Tarn" },
    { id: "2", note: "b", topic: "spill", level: "5", tags: "", "who.name": "" },
    { id: "3", note: "c", topic: "spill", level: "3", tags: "c", "who.name": "Jo" },
  ]);
  const answers = [
    whole({ topic: "fire", level: 3, tags: ["b", "a"], who: { name: "kim  tarn.", hurt: false } }),
    { reason: "refused" },
    whole({ topic: "fire", level: 3, tags: ["a"], who: { name: "Joan", hurt: false } }),
  ];

  it("gives each kind its own figures, an answer that is missing counting as wrong", () => {
    const byPart = Object.fromEntries(
      grade(prepared, ["topic", "level", "tags", "who.name"], samples, answers, { resamples: 200 }).parts.map((part) => [part.part, part]),
    );
    expect(byPart["topic"]).toMatchObject({ right: 1, graded: 3, unanswered: 1, classes: { accuracy: 1 / 3 } });
    expect(byPart["topic"]!.intervals!["macroF1"]!.low).toBeLessThanOrEqual(byPart["topic"]!.classes!.macro.f1);
    expect(byPart["level"]).toMatchObject({
      right: 1,
      numbers: { meanAbsoluteError: 0.5, bias: 0.5, within: 1, near: 2 / 3 },
      merits: { 1: -1, 3: -0 },
    });
    expect(byPart["tags"]).toMatchObject({ right: 1, graded: 2, sets: { exact: 0.5, jaccard: 0.5 } });
    expect(byPart["who.name"]).toMatchObject({ right: 1, graded: 2, texts: { rouge1: 0.5 } });
    expect(grade(prepared, ["level"], samples, answers, { within: { level: 0 }, resamples: 0 }).parts[0]).toMatchObject({
      numbers: { near: 1 / 3 },
      intervals: undefined,
    });
  });

  it("grades 100,000 rows with 12 options, without the bootstrap", () => {
    const options = Array.from({ length: 12 }, (_, index) => `option ${index}`);
    const big = prepare(
      template({ name: "big", inputs: { note: { kind: "text" } }, task: "{{ note }}", answer: { topic: { kind: "choice", options } } }),
    );
    const many = Array.from({ length: 100_000 }, (_, index) => ({
      id: `r${index}`,
      place: "",
      inputs: { note: "x" },
      truth: { topic: options[index % 12]! },
      sealed: false,
      values: {},
    }));
    const given = many.map((_, index): Graded => ({ parts: { topic: options[(index * 7) % 12]! } }));
    expect(grade(big, ["topic"], many, given, { resamples: 0 }).parts[0]!.graded).toBe(100_000);
  });
});

describe("a contest", () => {
  const gradeOf = (verdicts: readonly boolean[]) => [
    {
      part: "topic",
      kind: "choice",
      graded: verdicts.length,
      right: verdicts.filter(Boolean).length,
      unanswered: 0,
      accuracy: 0,
      interval: { low: 0, high: 1 },
      verdicts: Object.fromEntries(verdicts.map((right, index) => [`r${index}`, right])),
    },
  ];

  it("says who is better with an interval, or how many more rows would tell", () => {
    const [clear] = compare(
      gradeOf([...Array(12).fill(true), ...Array(8).fill(true)]),
      gradeOf([...Array(12).fill(false), ...Array(8).fill(true)]),
    );
    expect(clear).toMatchObject({ won: 12, lost: 0, beyondChance: true });
    expect(conclusion("version 3", "version 2", clear!)).toMatch(/^version 3 is better: \+60\.0 points, 95 % interval \d+\.\d to \d+\.\d$/);
    const [vague] = compare(
      gradeOf([true, true, true, false, false, true, false, true, true, true]),
      gradeOf([true, false, true, true, false, true, false, true, true, false]),
    );
    expect(conclusion("a", "b", vague!)).toMatch(/^these 10 rows cannot tell them apart \(\+10\.0 points, .*\); about \d+ more would$/);
    expect(conclusion("a", "b", compare(gradeOf([true]), gradeOf([true]))[0]!)).toContain("they did equally well");
  });

  it("adjusts p for the number of contestants, and leaves out parts without shared rows", () => {
    const first = { name: "one", parts: gradeOf([...Array(8).fill(true), ...Array(4).fill(true)]) };
    const weak = { name: "two", parts: gradeOf([...Array(7).fill(false), ...Array(5).fill(true)]) };
    const alone = contest(first, [weak]).against[0]!.parts[0]!;
    const many = contest(first, [weak, { ...weak, name: "three" }, { ...weak, name: "four" }]).against[0]!.parts[0]!;
    expect([alone.adjustedP, many.adjustedP]).toEqual([alone.p, alone.p * 3]);
    expect(contest(first, [{ name: "other", parts: [{ ...gradeOf([true])[0]!, verdicts: { zz: true } }] }]).against[0]!.parts).toEqual([]);
  });

  it("grades a column as a contestant, blank and odd cells being no answer", () => {
    const samples = read([
      { id: "1", note: "a", topic: "fire", old: "fire" },
      { id: "2", note: "b", topic: "spill", old: "smoke" },
      { id: "3", note: "c", topic: "fire", old: "" },
    ]);
    expect(gradeColumns(prepared, samples, { topic: "old" })).toMatchObject([{ part: "topic", right: 1, graded: 3, unanswered: 2 }]);
  });
});

describe("a trial", () => {
  const sort = prepare(
    template({
      name: "sort",
      inputs: { note: { kind: "text" } },
      task: "Sort {{ note }}",
      answer: { topic: { kind: "choice", options: ["fire", "spill"] } },
      model: { temperature: 0.5 },
    }),
  );
  const rows = Array.from({ length: 40 }, (_, index) => ({
    id: `r${index}`,
    note: `${index % 2 === 0 ? "smoke" : "slick"} ${index}`,
    topic: index % 2 === 0 ? "fire" : "spill",
    vessel: index < 20 ? "Petrel" : "Tern",
    set: index % 10 === 0 ? "sealed" : "",
  }));
  const samples = readSamples(
    sort,
    "s.csv",
    columnsOf(rows),
    rows.map((values, index) => ({ place: `row ${index}`, values })),
    { keyColumn: "id" },
  );
  /** Wrong on the Tern, and not steady on rows that end in 5. */
  const model = () =>
    scriptedModel((request) => {
      const note = fenced(request, "note");
      const number = Number(note.split(" ")[1]);
      const right = note.startsWith("smoke") ? "fire" : "spill";
      const flips = number % 10 === 5 && (request.seed ?? 0) > 1;
      return JSON.stringify({ topic: number >= 20 !== flips ? (right === "fire" ? "spill" : "fire") : right });
    });
  const setup = (overrides = {}) => ({
    prepared: sort,
    version: 1,
    model: model(),
    ledger: memoryLedger(),
    clock: fakeClock(),
    samples,
    ...overrides,
  });

  it("tells slices that differ beyond chance, steadiness, and what is confused by which words", async () => {
    const one = setup();
    const report = await trial(one, { slices: ["vessel", "length:note", "script:note"], asks: 3, grading: { resamples: 0 } });
    expect(report.samples).toBe(36);
    expect(report.slices.filter(({ by }) => by === "vessel")).toMatchObject([
      { value: "Petrel", rows: 18, right: 18, rest: 0, standsOut: true },
      { value: "Tern", rows: 18, right: 0, standsOut: true },
    ]);
    expect(report.slices.filter(({ by }) => by === "script:note")).toMatchObject([{ value: "Latin", rest: null, p: 1, standsOut: false }]);
    expect(report.steadiness).toMatchObject([
      { part: "topic", asks: 3, rows: 36, same: 32 / 36, least: [{ id: "r5", answers: ["spill", "fire", "fire"] }, {}, {}, {}] },
    ]);
    expect(report.advice.confused).toMatchObject([
      { right: "spill", answered: "fire", rows: 10, words: ["slick"] },
      { right: "fire", answered: "spill", rows: 8, words: ["smoke"] },
    ]);
    expect(report.advice.labels.length).toBe(16);
    expect(mistakesText(report, (id) => `text of ${id}`)).toMatch(
      /^What has to do with slick is spill\.\n\nWhat has to do with smoke is fire\.\n\n\n\ntopic is spill, not fire, in: text of r21/,
    );
    const again = await trial(one, { asks: 3 });
    expect([report.asked, again.asked, again.reused]).toEqual([108, 0, 108]);
    await expect(trial(one, { slices: ["vesel"] })).rejects.toThrow("it has no column `vesel` to slice by. Is `vessel` meant?");
  });

  it("leaves sealed rows alone, counts each look at them, and never compares the two", async () => {
    const one = setup();
    expect((await trial(one)).sealed).toEqual({ graded: false, rows: 4, looks: 0 });
    const look = await trial(one, { sealed: true });
    expect([look.samples, look.sealed]).toEqual([4, { graded: true, rows: 4, looks: 1 }]);
    expect((await trial(one, { sealed: true })).sealed.looks).toBe(2);
    expect((await trial(one)).sealed.looks).toBe(2);
    const open = { ...samples, samples: samples.samples.map((sample) => ({ ...sample, sealed: false })) };
    await expect(trial(setup({ samples: open }), { sealed: true })).rejects.toThrow("no row of it is sealed");
    await expect(trial(setup({ samples: { ...samples, samples: [] } }))).rejects.toThrow("no row of it can be graded");
  });

  it("has figures for one row, and for none answered", async () => {
    const one = await trial(setup({ samples: { ...samples, samples: samples.samples.slice(1, 2) } }));
    expect(one.parts[0]).toMatchObject({ graded: 1, accuracy: 1 });
    const none = await trial(setup({ model: scriptedModel(() => "nonsense") }));
    expect(none.parts[0]).toMatchObject({ graded: 36, right: 0, unanswered: 36, accuracy: 0, classes: { macro: { f1: 0 } } });
    expect(JSON.stringify(none)).not.toContain("NaN");
  });

  it("judges confidence, and finds where it can be trusted", async () => {
    const sure = prepare(template({ ...sort.template, doubt: { by: "stated" } } as never)) as unknown as typeof sort;
    const stated = scriptedModel((request) => {
      const number = Number(fenced(request, "note").split(" ")[1]);
      return JSON.stringify({
        topic: fenced(request, "note").startsWith("smoke") === number < 20 ? "fire" : "spill",
        confidence: number < 20 ? 0.95 : 0.4,
      });
    });
    const [confidence] = (await trial(setup({ prepared: sure, model: stated }), { reach: 0.9 })).confidence;
    expect(confidence).toMatchObject({ part: "topic", threshold: { threshold: 0.95, accuracy: 1, toPerson: 0.5 } });
    expect(confidence!.bins.map(({ rows: count, accuracy }) => [count, accuracy])).toEqual([
      [18, 0],
      [18, 1],
    ]);
  });
});

describe("draws", () => {
  const rows = Array.from({ length: 60 }, (_, index) => ({
    key: `k${index}`,
    group: ["x", "y", "z"][index % 6 < 4 ? 0 : index % 2 === 0 ? 1 : 2]!,
    ...(index % 3 === 0 ? { doubt: index / 60 } : {}),
  }));

  it("repeat with their seed, are even over groups, or go by doubt", () => {
    expect(drawRows(rows, 10, "random", 3)).toEqual(drawRows(rows, 10, "random", 3));
    expect(drawRows(rows, 10, "random", 3)).not.toEqual(drawRows(rows, 10, "random", 4));
    const even = drawRows(rows, 12, "balanced", 1);
    expect(["x", "y", "z"].map((group) => even.filter((row) => row.group === group).length)).toEqual([4, 4, 4]);
    expect(drawRows(rows, 3, "doubtful", 1).map(({ key }) => key)).toEqual(["k57", "k54", "k51"]);
    fc.assert(
      fc.property(fc.nat(100), fc.constantFrom("random" as const, "balanced" as const, "doubtful" as const), (count, way) => {
        const drawn = drawRows(rows, count, way, 1);
        expect(new Set(drawn.map(({ key }) => key)).size).toBe(drawn.length);
        expect(drawn.length).toBe(Math.min(count, way === "doubtful" ? 20 : 60));
      }),
    );
  });

  it("seal the wanted share of every group", () => {
    const sealed = drawSealed(rows, 0.3, 1);
    expect(sealed.size).toBe(18);
    expect(rows.filter(({ key, group }) => group === "x" && sealed.has(key)).length).toBe(12);
  });
});

it("sentences are added in front of a task; comments and order stay, braces bring no placeholders", () => {
  const text =
    "yoroshi: template/1\nname: x # the name\ninputs: { note: { kind: text } }\ntask: |\n  Decide.\n  {{ note }}\nanswer: { a: { kind: yesNo } }\n";
  const added = addToTask(text, ["Oil is {{ bad }}.", " "]);
  expect(added).toContain("task: |\n  Oil is  bad .\n  Decide.\n  {{ note }}\n".replace("  bad ", " bad "));
  expect(added).toContain("name: x # the name");
  expect(readTemplate(added, "x.yaml").complaints).toEqual([]);
  expect(addToTask(text, [])).toBe(text);
});
