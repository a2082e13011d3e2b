import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Json } from "../ground/index.js";
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

const words = fc.string({ unit: "grapheme", minLength: 1, maxLength: 20 }).map((text) => text.trim()).filter((text) => text !== "");

/** What every kind must do; a new kind adds its own line. */
const CASES: Record<string, Case> = {
  text: {
    spec: { kind: "text", maxChars: 40, maxSentences: 2 },
    reads: [["fine", "fine"], ["  fine \n", "fine"], [12, "12"]],
    refuses: ["", "   ", null, true, [], "x".repeat(41), "One. Two. Three."],
    cells: [["as it stands", "as it stands"]],
    badCells: [],
    values: words,
    wrongSpecs: [{ maxChars: -1 }, { maxChars: "many" }, { length: 3 }],
  },
  number: {
    spec: { kind: "number", from: -10, to: 5000, decimals: 1, unit: "kg" },
    reads: [[4.5, 4.5], ["4.5", 4.5], ["1,200", 1200], ["12 kg", 12], ["−3", -3]],
    refuses: ["a lot", 4.55, 5001, "1.200,5", "1,2", null, true, Number.NaN, "12 kg or so"],
    cells: [["1,200", 1200], [" 7 ", 7]],
    badCells: ["seven", "1.2.3"],
    values: fc.integer({ min: -100, max: 50_000 }).map((n) => n / 10),
    wrongSpecs: [{ from: "low" }, { decimals: 1.5 }],
  },
  yesNo: {
    spec: { kind: "yesNo" },
    reads: [[true, true], ["Yes", true], ["no.", false], ["FALSE", false]],
    refuses: ["maybe", "yes and no", 2, null, ""],
    cells: [["yes", true], ["N", false], ["1", true]],
    badCells: ["perhaps"],
    values: fc.boolean(),
    wrongSpecs: [{ options: [] }],
  },
  date: {
    spec: { kind: "date" },
    reads: [["2026-03-04", "2026-03-04"], ["4 March 2026", "2026-03-04"], ["Mar 4, 2026", "2026-03-04"], ["2026-03-04T08:15:00Z", "2026-03-04"]],
    refuses: ["03/04/2026", "2026-02-30", "yesterday", 20260304, null, "2026-13-01"],
    cells: [["2026-3-4", "2026-03-04"], ["29 February 2024", "2024-02-29"]],
    badCells: ["29 February 2023", "4/3/26"],
    values: fc.date({ min: new Date("1900-01-01"), max: new Date("2100-01-01"), noInvalidDate: true }).map((day) => day.toISOString().slice(0, 10)),
    wrongSpecs: [{ format: "dmy" }],
  },
  choice: {
    spec: { kind: "choice", options: ["slip-trip-fall", "fire", "Fire drill"], otherwise: "unclear" },
    reads: [["fire", "fire"], ["FIRE.", "fire"], [' "Slip trip fall" ', "slip-trip-fall"], ["unclear", "unclear"], ["fire_drill", "Fire drill"]],
    refuses: ["fires", "smoke", "fire or flood", "", null, 3, ["fire"]],
    cells: [["Fire", "fire"], ["fire drill", "Fire drill"]],
    badCells: ["flood"],
    values: fc.constantFrom("slip-trip-fall", "fire", "Fire drill", "unclear"),
    wrongSpecs: [{ options: "fire" }, { options: [] }, { options: [""] }],
  },
  score: {
    spec: { kind: "score", from: 1, to: 5, scale: { 1: "nothing", 5: "the worst" } },
    reads: [[3, 3], ["4", 4], ["4/5", 4], ["2 out of 5", 2], [" 5 ", 5]],
    refuses: [0, 6, 2.5, "8/10", "high", null, true],
    cells: [["3", 3]],
    badCells: ["9", "3.5", "x"],
    values: fc.integer({ min: 1, max: 5 }),
    wrongSpecs: [{ from: 1.5 }, { scale: ["a"] }],
  },
  list: {
    spec: { kind: "list", of: { kind: "text", maxChars: 60 }, atLeast: 1, atMost: 3 },
    reads: [[["a", " b "], ["a", "b"]], ["- a\n- b", ["a", "b"]], ["1. a\n2) b", ["a", "b"]]],
    refuses: [[], ["a", "b", "c", "d"], "just a sentence", [""], [null], null, { a: 1 }],
    cells: [["a\n\nb", ["a", "b"]]],
    badCells: [],
    values: fc.array(words, { minLength: 1, maxLength: 3 }),
    wrongSpecs: [{ exactly: -1 }, { of: "text" }],
  },
};

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
    fc.assert(fc.property(values, (value) => {
      expect(shaped.read(value)).toEqual({ ok: true, value });
      expect(shaped.fromCell(shaped.toCell(value))).toEqual({ ok: true, value });
    }));
  });

  it("tells a model what is wanted, and gives a JSON Schema without what strict hosts refuse", () => {
    expect(shaped.tell().length).toBeGreaterThan(3);
    const json = JSON.stringify(shaped.jsonSchema());
    expect(json).not.toMatch(/oneOf|\$schema|9007199254740991/);
  });

  it("never throws, whatever a model writes", () => {
    fc.assert(fc.property(fc.anything(), (raw) => {
      const reading = shaped.read(raw);
      if (reading.ok) expect(shaped.read(reading.value)).toEqual(reading);
    }));
  });

  it("knows its own keys", () => {
    const schema = specSchema(kindOf(name));
    expect(schema.safeParse(spec).success).toBe(true);
    for (const wrong of wrongSpecs) expect(schema.safeParse({ ...spec, ...wrong }).success, JSON.stringify(wrong)).toBe(false);
  });
});

it("keeps lists of awkward texts apart in a cell", () => {
  const shaped = shapeSpec({ kind: "list" }, kindOf);
  fc.assert(fc.property(fc.array(fc.string({ minLength: 1 }).filter((text) => text.trim() !== ""), { maxLength: 5 }), (items) => {
    expect(shaped.fromCell(shaped.toCell(items))).toEqual({ ok: true, value: items });
  }));
});
