import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { sentences, type Json } from "../ground/index.js";
import { shapeSpec, type AnySpec } from "./kind.js";
import { kindNames, kindOf, specSchema } from "./registry.js";

interface Case {
  readonly spec: AnySpec & Record<string, unknown>;
  /** What a model may write, and what it becomes. */
  readonly reads: readonly (readonly [unknown, Json])[];
  readonly refuses: readonly unknown[];
  readonly cells: readonly (readonly [string, Json])[];
  readonly badCells: readonly string[];
  readonly values: fc.Arbitrary<Json>;
  readonly wrongSpecs: readonly object[];
}

const names = fc.array(fc.stringMatching(/^[a-z0-9]{1,8}$/), { minLength: 2, maxLength: 4 });
const words = fc
  .string({ unit: "grapheme", minLength: 1, maxLength: 20 })
  .map((text) => text.trim())
  .filter((text) => text !== "");

/** What every kind must do; a new kind adds its own line. */
const CASES: Record<string, Case> = {
  text: {
    spec: { kind: "text", maxChars: 40, maxSentences: 2 },
    reads: [
      ["fine", "fine"],
      ["  fine \n", "fine"],
      [12, "12"],
      ["One … two. /", "One … two. /"],
    ],
    refuses: ["", "   ", null, true, [], "x".repeat(41), "One. Two. Three."],
    cells: [["as it stands", "as it stands"]],
    badCells: [],
    values: words.filter((text) => sentences(text).length <= 2),
    wrongSpecs: [{ maxChars: -1 }, { maxChars: "many" }, { length: 3 }],
  },
  number: {
    spec: { kind: "number", from: -10, to: 5000, decimals: 1, unit: "kg" },
    reads: [
      [4.5, 4.5],
      ["4.5", 4.5],
      ["1,200", 1200],
      ["12 kg", 12],
      ["−3", -3],
    ],
    refuses: ["a lot", 4.55, 5001, "1.200,5", "1,2", null, true, Number.NaN, "12 kg or so"],
    cells: [
      ["1,200", 1200],
      [" 7 ", 7],
    ],
    badCells: ["seven", "1.2.3"],
    values: fc.integer({ min: -100, max: 50_000 }).map((n) => n / 10),
    wrongSpecs: [{ from: "low" }, { decimals: 1.5 }],
  },
  email: {
    spec: { kind: "email" },
    reads: [
      ["ana.li@example.org", "ana.li@example.org"],
      [" <kim+deck@mail.example.co> ", "kim+deck@mail.example.co"],
      ["Ana Li <ana@example.org>", "ana@example.org"],
      ["mailto:ana@example.org.", "ana@example.org"],
      ["jörg@bücher.example", "jörg@bücher.example"],
    ],
    refuses: ["ana", "ana@", "@example.org", "ana@example", "a b@example.org", "ana@example.org, kim@example.org", "", null, 7, true],
    cells: [
      ["ana@example.org", "ana@example.org"],
      ["Ana <ana@example.org>", "ana@example.org"],
    ],
    badCells: ["ana at example.org", "ana@@example.org"],
    values: names.map(([local, ...hosts]) => `${local}@${hosts.join(".")}.org`),
    wrongSpecs: [{ hosts: ["example.org"] }],
  },
  link: {
    spec: { kind: "link" },
    reads: [
      ["https://ferries.example.org/log?id=7#top", "https://ferries.example.org/log?id=7#top"],
      [" <http://example.org> ", "http://example.org"],
      ["[log](https://example.org/c)", "https://example.org/c"],
      ["https://example.org/a.", "https://example.org/a"],
      ["http://localhost:8080/x", "http://localhost:8080/x"],
    ],
    refuses: [
      "example.org",
      "ftp://example.org",
      "https://",
      "https://example",
      "see https://example.org/a for more",
      "javascript:alert(1)",
      "",
      null,
      7,
      true,
    ],
    cells: [["https://example.org", "https://example.org"]],
    badCells: ["www.example.org", "https://a b.org"],
    values: names.map(([page, ...hosts]) => `https://${hosts.join(".")}.org/${page}`),
    wrongSpecs: [{ hosts: ["example.org"] }],
  },
  yesNo: {
    spec: { kind: "yesNo" },
    reads: [
      [true, true],
      ["Yes", true],
      ["no.", false],
      ["FALSE", false],
    ],
    refuses: ["maybe", "yes and no", 2, null, ""],
    cells: [
      ["yes", true],
      ["N", false],
      ["1", true],
    ],
    badCells: ["perhaps"],
    values: fc.boolean(),
    wrongSpecs: [{ options: [] }, { yes: "" }],
  },
  date: {
    spec: { kind: "date" },
    reads: [
      ["2026-03-04", "2026-03-04"],
      ["4 March 2026", "2026-03-04"],
      ["Mar 4, 2026", "2026-03-04"],
      ["2026-03-04T08:15:00Z", "2026-03-04"],
    ],
    refuses: ["03/04/2026", "2026-02-30", "yesterday", 20260304, null, "2026-13-01"],
    cells: [
      ["2026-3-4", "2026-03-04"],
      ["29 February 2024", "2024-02-29"],
    ],
    badCells: ["29 February 2023", "4/3/26"],
    values: fc
      .date({ min: new Date("1900-01-01"), max: new Date("2100-01-01"), noInvalidDate: true })
      .map((day) => day.toISOString().slice(0, 10)),
    wrongSpecs: [{ format: "dmy" }],
  },
  choice: {
    spec: { kind: "choice", options: ["slip-trip-fall", "fire", "Fire drill"], otherwise: "unclear" },
    reads: [
      ["fire", "fire"],
      ["FIRE.", "fire"],
      [' "Slip trip fall" ', "slip-trip-fall"],
      ["unclear", "unclear"],
      ["fire_drill", "Fire drill"],
    ],
    refuses: ["fires", "smoke", "fire or flood", "", null, 3, ["fire"]],
    cells: [
      ["Fire", "fire"],
      ["fire drill", "Fire drill"],
    ],
    badCells: ["flood"],
    values: fc.constantFrom("slip-trip-fall", "fire", "Fire drill", "unclear"),
    wrongSpecs: [{ options: "fire" }, { options: [] }, { options: [""] }],
  },
  score: {
    spec: { kind: "score", from: 1, to: 5, scale: { 1: "nothing", 5: "the worst" } },
    reads: [
      [3, 3],
      ["4", 4],
      ["4/5", 4],
      ["2 out of 5", 2],
      [" 5 ", 5],
    ],
    refuses: [0, 6, 2.5, "8/10", "high", null, true],
    cells: [["3", 3]],
    badCells: ["9", "3.5", "x"],
    values: fc.integer({ min: 1, max: 5 }),
    wrongSpecs: [{ from: "one" }, { step: 0 }, { scale: ["a"] }],
  },
  choices: {
    spec: {
      kind: "choices",
      options: { fire: "flames", "oil, spilled": "in the water", Crew: "" },
      atLeast: 1,
      atMost: 2,
      separator: " | ",
    },
    reads: [
      [
        ["fire", "crew"],
        ["fire", "Crew"],
      ],
      ["FIRE | crew", ["fire", "Crew"]],
      ["oil, spilled", ["oil, spilled"]],
      [["fire", "Fire."], ["fire"]],
      ["fire; crew", ["fire", "Crew"]],
    ],
    refuses: [[], ["fire", "oil, spilled", "Crew"], ["smoke"], "smoke", null, 3, [null]],
    cells: [
      ["fire | Crew", ["fire", "Crew"]],
      ["crew\nfire", ["Crew", "fire"]],
    ],
    badCells: ["fire | smoke"],
    values: fc.uniqueArray(fc.constantFrom("fire", "oil, spilled", "Crew"), { minLength: 1, maxLength: 2 }),
    wrongSpecs: [{ options: 3 }, { separator: " " }, { atMost: 0 }],
  },
  record: {
    spec: {
      kind: "record",
      parts: {
        who: { kind: "text", maxChars: 30 },
        tone: { kind: "choice", options: ["calm", "upset"] },
        level: { kind: "score", from: 0, to: 1, step: 0.5 },
      },
    },
    reads: [
      [
        { Who: " me ", tone: "CALM", level: "0.5", more: 1 },
        { who: "me", tone: "calm", level: 0.5 },
      ],
    ],
    refuses: [{ who: "me", tone: "calm" }, { who: "me", tone: "cross", level: 1 }, { who: "me", tone: "calm", level: 0.3 }, "me", null, []],
    cells: [['{"who":"me","tone":"calm","level":1}', { who: "me", tone: "calm", level: 1 }]],
    badCells: ["me", '{"who":"me"}', "{}"],
    values: fc.record({ who: words, tone: fc.constantFrom("calm", "upset"), level: fc.constantFrom(0, 0.5, 1) }),
    wrongSpecs: [{ parts: 3 }, { parts: { who: {} } }],
  },
  list: {
    spec: { kind: "list", of: { kind: "text", maxChars: 60 }, atLeast: 1, atMost: 3 },
    reads: [
      [
        ["a", " b "],
        ["a", "b"],
      ],
      ["- a\n- b", ["a", "b"]],
      ["1. a\n2) b", ["a", "b"]],
    ],
    refuses: [[], ["a", "b", "c", "d"], "just a sentence", [""], [null], null, { a: 1 }],
    cells: [["a\n\nb", ["a", "b"]]],
    badCells: [],
    values: fc.array(words, { minLength: 1, maxLength: 3 }),
    wrongSpecs: [{ exactly: -1 }, { of: "text" }],
  },
  rows: {
    spec: { kind: "rows", columns: { at: "date", said: { kind: "text" }, level: "number" } },
    reads: [[[{ at: "2026-03-04", said: "hm", level: null }], [{ at: "2026-03-04", said: "hm", level: null }]]],
    refuses: ["rows", [{ at: "soon", said: "hm", level: 1 }], null, [1]],
    cells: [
      [
        '[{"at":"4 March 2026","said":" ","level":"1,200"},{"more":1}]',
        [
          { at: "2026-03-04", said: null, level: 1200 },
          { at: null, said: null, level: null },
        ],
      ],
    ],
    badCells: ["hm", "{}", "[1]", '[{"at":"soon"}]'],
    values: fc.array(fc.record({ at: fc.constantFrom("2026-03-04", null), said: fc.option(words), level: fc.option(fc.integer()) }), {
      maxLength: 3,
    }) as fc.Arbitrary<Json>,
    wrongSpecs: [{ columns: ["at"] }, { order: "at" }],
  },
  image: sourceCase("image", [{ longestSide: 10 }, { pages: "1" }]),
  document: sourceCase("document", [{ pages: "one" }, { as: "pictures" }, { maxPages: 0 }]),
  page: sourceCase("page", [{ maxAgeDays: 0 }, { as: "text" }]),
};

/** What names a source stands for a handle, which is found before a row is asked. */
function sourceCase(kind: string, wrongSpecs: Case["wrongSpecs"]): Case {
  const handle = { hash: "0".repeat(64), type: "image/png", bytes: 12 };
  return {
    spec: { kind } as Case["spec"],
    reads: [[handle, handle]],
    refuses: ["a.png", { ...handle, hash: "short" }, [handle], 4],
    cells: [[JSON.stringify(handle), handle]],
    badCells: ["a.png", "{}", "[1]"],
    values: fc
      .record({ hash: fc.stringMatching(/^[0-9a-f]{64}$/), type: fc.constant("image/png"), bytes: fc.nat() })
      .map((value) => value as Json),
    wrongSpecs,
  };
}

it("has a case for every kind", () => {
  expect(Object.keys(CASES).sort()).toEqual([...kindNames].sort());
});

describe.each(Object.entries(CASES))("kind %s", (name, { spec, reads, refuses, cells, badCells, values, wrongSpecs }) => {
  const shaped = shapeSpec(spec, kindOf);

  it("reads what a model may write, and repairs only what is safe", () => {
    for (const [raw, value] of reads) expect(shaped.read(raw), JSON.stringify(raw)).toEqual({ ok: true, value });
  });

  it("refuses everything else with a sentence", () => {
    for (const raw of refuses) {
      const reading = shaped.read(raw);
      expect(reading.ok, JSON.stringify(raw)).toBe(false);
      expect(!reading.ok && reading.problem).toMatch(/^(must|has) |; /);
    }
  });

  it("reads cells, and brings every value to a cell and back", () => {
    for (const [cell, value] of cells) expect(shaped.fromCell(cell)).toEqual({ ok: true, value });
    for (const cell of badCells) expect(shaped.fromCell(cell).ok, cell).toBe(false);
    fc.assert(
      fc.property(values, (value) => {
        expect(shaped.read(value)).toEqual({ ok: true, value });
        expect(shaped.fromCell(shaped.toCell(value))).toEqual({ ok: true, value });
      }),
    );
  });

  it("tells a model what is wanted, and gives a JSON Schema without what strict hosts refuse", () => {
    expect(shaped.tell().length).toBeGreaterThan(3);
    const json = JSON.stringify(shaped.jsonSchema());
    expect(json).not.toMatch(/oneOf|\$schema|9007199254740991/);
  });

  it("never throws, whatever a model writes", () => {
    fc.assert(
      fc.property(fc.anything(), (raw) => {
        const reading = shaped.read(raw);
        if (reading.ok) expect(shaped.read(reading.value)).toEqual(reading);
      }),
    );
  });

  it("knows its own keys", () => {
    const schema = specSchema(kindOf(name));
    expect(schema.safeParse(spec).success).toBe(true);
    for (const wrong of wrongSpecs) expect(schema.safeParse({ ...spec, ...wrong }).success, JSON.stringify(wrong)).toBe(false);
  });
});

it("keeps lists of awkward texts apart in a cell", () => {
  const shaped = shapeSpec({ kind: "list" }, kindOf);
  fc.assert(
    fc.property(
      fc.array(
        fc.string({ minLength: 1 }).filter((text) => text.trim() !== ""),
        { maxLength: 5 },
      ),
      (items) => {
        expect(shaped.fromCell(shaped.toCell(items))).toEqual({ ok: true, value: items });
      },
    ),
  );
});

it("says where in a list or record something is wrong", () => {
  const shaped = shapeSpec(
    { kind: "list", of: { kind: "record", parts: { who: { kind: "text" }, level: { kind: "number" } } } } as AnySpec,
    kindOf,
  );
  expect(
    shaped.read([
      { who: "a", level: 1 },
      { who: "b", level: "much" },
    ]),
  ).toEqual({ ok: false, problem: 'has an item 2 with a member "level" that must be a number' });
  expect(shaped.tell()).toBe(
    'a list of any number of items, possibly none, each item an object with these members:\n  - "who": text.\n  - "level": a number.',
  );
});

it("reads times of day, own words for yes and no, steps of a scale, and says what language is wanted", () => {
  const when = shapeSpec({ kind: "date", time: true } as AnySpec, kindOf);
  for (const text of ["2026-03-04T20:15", "2026-03-04 20:15:30", "4 March 2026, 8:15 pm", "Mar 4, 2026 at 8.15 p.m."])
    expect(when.read(text), text).toEqual({ ok: true, value: "2026-03-04T20:15" });
  for (const text of ["2026-03-04", "2026-03-04T24:00", "2026-03-04T20:15+02:00", "4 March 2026, 13:15 pm"])
    expect(when.read(text).ok, text).toBe(false);
  expect(when.fromCell("2026-03-04T08:15")).toEqual({ ok: true, value: "2026-03-04T08:15" });
  const act = shapeSpec({ kind: "yesNo", yes: "act", no: "leave" } as AnySpec, kindOf);
  expect([act.tell(), act.toCell(true), act.read("Leave."), act.fromCell("act")]).toEqual([
    "true (act) or false (leave)",
    "act",
    { ok: true, value: false },
    { ok: true, value: true },
  ]);
  expect(kindOf("yesNo").faults!({ kind: "yesNo", yes: "Do", no: "do" } as AnySpec)).toHaveLength(1);
  expect(kindOf("score").faults!({ kind: "score", from: 0, to: 1, step: 0.3 } as AnySpec)).toEqual([
    "The scale from 0 to 1 cannot be walked in steps of 0.3.",
  ]);
  expect(kindOf("choices").faults!({ kind: "choices", options: ["a; b", "c"] } as AnySpec)).toEqual([
    "The option `a; b` contains the separator `;`. Choose another separator.",
  ]);
  expect(shapeSpec({ kind: "text", form: "markdown", language: "German", maxWords: 9 } as AnySpec, kindOf).tell()).toBe(
    "Markdown text in German, at most 9 words",
  );
});

it("converts money with stated rates only, never with the model's memory", () => {
  const spec = { kind: "number", currency: "NZD", rates: "rates", perUnit: { USD: 1.67, EUR: 1.9 }, from: 0 } as AnySpec;
  const shaped = shapeSpec(spec, kindOf);
  expect(shaped.read({ amount: 100, currency: "USD" })).toEqual({ ok: true, value: 167 });
  expect(shaped.read("€ 1,200.55")).toEqual({ ok: true, value: 2281.05 });
  expect(shaped.read({ amount: "1.005", currency: "nzd" })).toEqual({ ok: true, value: 1.01 });
  for (const raw of [100, "100", { amount: 100 }, { amount: 100, currency: "JPY" }, { amount: -1, currency: "USD" }, "$ 100"])
    expect(shaped.read(raw).ok, JSON.stringify(raw)).toBe(false);
  expect(shaped.fromCell("100")).toEqual({ ok: true, value: 100 });
  expect(shaped.fromCell("100 usd")).toEqual({ ok: true, value: 167 });
  expect(shaped.fromCell("JPY 5")).toEqual({ ok: false, problem: "is in JPY, for which there is no rate" });
  expect(shaped.jsonSchema()).toEqual({
    type: "object",
    properties: { amount: { type: "number" }, currency: { type: "string", enum: ["NZD", "USD", "EUR"] } },
    required: ["amount", "currency"],
    additionalProperties: false,
  });
  // Inside a record the value that is kept can be read again from its cell.
  const record = shapeSpec({ kind: "record", parts: { what: { kind: "text" }, cost: spec } } as AnySpec, kindOf);
  const reading = record.read({ what: "rope", cost: { amount: 10, currency: "EUR" } });
  expect(reading).toEqual({ ok: true, value: { what: "rope", cost: 19 } });
  expect(record.fromCell(record.toCell(reading.ok ? reading.value : null))).toEqual(reading);
  expect(record.said({ what: "rope", cost: 19 })).toEqual({ what: "rope", cost: { amount: 19, currency: "NZD" } });
});

it("counts days named by words from a stated day only", () => {
  const base = "2026-08-05"; // a Wednesday
  const shaped = shapeSpec({ kind: "date", relativeTo: "today", base } as AnySpec, kindOf);
  const named = {
    today: "2026-08-05",
    Tomorrow: "2026-08-06",
    yesterday: "2026-08-04",
    "the day after tomorrow": "2026-08-07",
    "in 3 days": "2026-08-08",
    "two weeks ago": "2026-07-22",
    Friday: "2026-08-07",
    "this Wednesday": "2026-08-12",
    "next Monday": "2026-08-10",
    "next Friday": "2026-08-14",
    "last Friday": "2026-07-31",
    "last Wed": "2026-07-29",
    "next month": "2026-09-05",
    "a year ago": "2025-08-05",
    "in 6 months": "2027-02-05",
  };
  for (const [text, day] of Object.entries(named)) expect(shaped.read(text), text).toEqual({ ok: true, value: day });
  for (const text of ["soon", "3 days", "in a while", "Frid ay", "in 3 days ago", "the 5th"])
    expect(shaped.read(text).ok, text).toBe(false);
  expect(shapeSpec({ kind: "date", relativeTo: "today", base: "2026-01-31" } as AnySpec, kindOf).read("next month")).toEqual({
    ok: true,
    value: "2026-02-28",
  });
  expect(shapeSpec({ kind: "date", time: true, relativeTo: "today", base } as AnySpec, kindOf).read("tomorrow at 8:15 pm")).toEqual({
    ok: true,
    value: "2026-08-06T20:15",
  });
  expect(shapeSpec({ kind: "date" } as AnySpec, kindOf).read("tomorrow").ok).toBe(false);
});
