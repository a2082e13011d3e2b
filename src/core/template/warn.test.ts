import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { readTemplate } from "./read.js";
import { prepare } from "./prepare.js";
import { WARNING_CODES, warnModel, warnTemplate } from "./warn.js";

const GOOD = `yoroshi: template/1
name: x
inputs: { note: { kind: text } }
task: Decide what this is about. {{ note }}
answer:
  why: { kind: text, maxChars: 100 }
  topic: { kind: choice, options: { fire: flames, spill: oil }, otherwise: other }
  level: { kind: score, from: 1, to: 5, scale: { 1: none, 5: worst } }
`;
const warningsOf = (text: string): [string, number][] => {
  const { template, document, complaints } = readTemplate(text, "x.yaml");
  expect(complaints).toEqual([]);
  return warnTemplate(template!, document!).map(({ code, place }) => [code, place.line]);
};

describe("what could be better in a template", () => {
  it("is nothing in a good one, whatever its language", () => {
    expect(warningsOf(GOOD)).toEqual([]);
    expect(warningsOf(GOOD.replace("Decide what this is about.", "これは何についてですか。"))).toEqual([]);
    expect(warningsOf(GOOD.replace("Decide what this is about.", "What is this about?"))).toEqual([]);
  });

  it.each<[(typeof WARNING_CODES)[number], string, number]>([
    ["noInstruction", GOOD.replace("Decide what this is about.", "The topic of the note."), 4],
    ["bareOptions", GOOD.replace("{ fire: flames, spill: oil }", "[fire, spill]"), 7],
    ["overlappingOptions", GOOD.replace("spill: oil", "oil fire: burning oil"), 7],
    ["verdictFirst", GOOD.replace("  why: { kind: text, maxChars: 100 }\n", "").concat("  why: { kind: text, maxChars: 100 }\n"), 8],
    ["endlessText", GOOD.replace(", maxChars: 100", ""), 6],
    ["endlessText", `${GOOD}  all: { kind: list, of: { kind: record, parts: { words: { kind: text } } } }\n`, 9],
    ["bareScale", GOOD.replace("5: worst", "3: some"), 8],
    ["unprintedInput", GOOD.replace("{{ note }}", "{% if note %}Be kind.{% endif %}"), 3],
  ])("%s is seen, at its place", (code, text, line) => {
    expect(warningsOf(text)).toEqual([[code, line]]);
  });

  it("knows that a loop and an assignment print what they come from", () => {
    const looped = GOOD.replace("inputs: { note: { kind: text } }", "inputs: { notes: { kind: list }, more: { kind: text } }")
      .replace("{{ note }}", '"{% for n in notes %}{{ n }}{% endfor %}{% assign m = more %}{{ m }}"')
      .replace('task: Decide what this is about. "', 'task: "Decide what this is about. ');
    expect(warningsOf(looped)).toEqual([]);
  });

  it("each has its line in the documentation", () => {
    const page = readFileSync(new URL("../../../docs/warnings.md", import.meta.url), "utf8");
    expect([...page.matchAll(/^\| `(\w+)` \|/gm)].map((match) => match[1]).sort()).toEqual([...WARNING_CODES].sort());
  });
});

it("knows what the chosen model cannot do", () => {
  const codesOf = (text: string, model: object): string[] => {
    const { template, document } = readTemplate(text, "x.yaml");
    return warnModel(prepare(template!), document!, { name: "quick", ...model }, (words) => words.split(/\s+/).length).map(
      ({ code }) => code,
    );
  };
  expect(codesOf(GOOD, {})).toEqual([]);
  expect(codesOf(GOOD, { can: ["images"] })).toEqual(["schemaNotTaken"]);
  const doubtful = `${GOOD}doubt: { by: logProbabilities }\n`;
  expect([codesOf(doubtful, {}), codesOf(doubtful, { can: ["jsonSchema", "logProbabilities"] })]).toEqual([["probabilitiesNotGiven"], []]);
  expect([codesOf(GOOD, { context: 2000 }), codesOf(GOOD, { context: 1000 })]).toEqual([[], ["overContext"]]);
});
