import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { askPrepared } from "../answer/index.js";
import { formatComplaint, messageText, patternsReady, type Json } from "../ground/index.js";
import { strayNumbers } from "./numbers-from.js";
import { prepare } from "./prepare.js";
import { readInputs } from "./read-inputs.js";
import { readTemplate } from "./read.js";

const BASE = `yoroshi: template/1
name: x
inputs: { note: { kind: text }, place: { kind: text, required: false }, size: { kind: number } }
task: Decide. {{ note }} {{ place }} {{ size }}
answer: { summary: { kind: text, maxChars: 80 }, act: { kind: yesNo }, steps: { kind: list } }
`;
const preparedOf = (more: string) => {
  const { template, complaints } = readTemplate(BASE + more, "x.yaml");
  expect(complaints).toEqual([]);
  return prepare(template!);
};
const complaintsOf = (more: string): string =>
  readTemplate(BASE + more, "x.yaml")
    .complaints.map(formatComplaint)
    .join("\n");

describe("rules on the answer", () => {
  const prepared = preparedOf(`rules:
  - { forbid: [asap, "!"], in: summary }
  - { require: [boat] }
  - { pattern: "^[A-Z]", in: summary, say: The summary begins with a capital letter }
  - { check: answer.act || size(answer.steps) == 0, say: When nobody has to act there are no steps }
`);
  const broken = (summary: string, act: boolean, steps: string[]) => prepared.brokenRules({ summary, act, steps }, {});

  it("hold or are broken, each in words that a model can act on", async () => {
    await patternsReady();
    expect(broken("The boat is late", true, ["tell them"])).toEqual([]);
    expect(broken("The ferry is late", true, ["call the boat"])).toEqual([]);
    expect(broken("the boat, ASAP!", false, ["go"])).toEqual([
      '"summary" breaks a rule: Never use "asap" or "!" in "summary".',
      '"summary" breaks a rule: The summary begins with a capital letter.',
      "it breaks a rule: When nobody has to act there are no steps.",
    ]);
    expect(broken("A canoe in asaparagus", true, [])).toEqual(['the answer breaks a rule: Use "boat".']);
  });

  it("are told to the model, and change the fingerprint", () => {
    expect(messageText(prepared.render({ note: "n", place: null, size: 1 }).at(-1)!)).toContain(
      'Rule: Never use "asap" or "!" in "summary".\nRule: Use "boat".\nRule: The summary begins with a capital letter.\nRule: When nobody has to act there are no steps.',
    );
    expect(inWords(preparedOf("").fingerprint)).not.toBe(prepared.fingerprint);
  });

  it("when broken are mended once, then the answer is malformed and names the rule", async () => {
    const replies = ['{"summary":"Boat!","act":true,"steps":[]}', '{"summary":"Boat","act":true,"steps":[]}'];
    const model = scriptedModel((_, index) => replies[index]!);
    const inputs = { note: "n", place: null, size: 1 };
    expect(inWords(await askPrepared(prepared, inputs, { model, clock: fakeClock() }))).toMatchObject({
      state: "answered",
      notes: ["mended"],
    });
    expect(messageText(model.requests[1]!.messages.at(-1)!)).toContain('"summary" breaks a rule: Never use "asap" or "!"');
    expect(inWords(await askPrepared(prepared, inputs, { model: scriptedModel(() => replies[0]!), clock: fakeClock() }))).toMatchObject({
      state: "malformed",
      reason: expect.stringContaining("Never use"),
    });
  });

  it.each<[string, unknown, string[]]>([
    ["51 reports, 11 of them grave.", [51, 11], []],
    ["52 reports, 11 of them grave.", [51, 11], ["52"]],
    ["About 21.6 % or 22% were grave, 0.22 of all.", [0.2157], []],
    ["About 23 percent were grave.", [0.2157], ["23 percent"]],
    ["1,200 rows, 1200 rows, 1.2 in thousands", [1200], ["1.2"]],
    ["3,5 m and -4 degrees, \u22124 at most", ["3.5", -4], []],
    ["Report R-012 of 2026-08-03 at 14:30", ["see R-012, written 2026-08-03 at 14:30."], []],
    ["Report R-013 at 14:31.", ["see R-012 at 14:30"], ["R-013", "14:31"]],
    ["Three reports, two grave; one was not.", [3, 1], ["two"]],
    ["Ten seconds, 3 boats, four men.", ["ten seconds, three boats"], ["four"]],
    ["MV2 left berth 4.", [4], ["MV2"]],
    ["Nothing at all.", [], []],
    ["Deep inside 7", [{ a: ["7"] }], []],
  ])("knows the numbers of %j that do not stand in %j", (text, data, stray) => {
    expect(strayNumbers(text, data as Json[])).toEqual(stray);
  });

  it("let no number into a text that the data does not have, in the inputs that are named or in any", () => {
    const held = (numbersFrom: string) => preparedOf(`rules: [{ numbersFrom: ${numbersFrom}, in: summary }]\n`);
    const parts = { summary: "5 of 7", act: true, steps: ["9"] };
    expect(held("inputs").brokenRules(parts, { note: "7 boats", size: 5 })).toEqual([]);
    expect(held("[size]").brokenRules(parts, { note: "7 boats", size: 5 })).toEqual([
      '"summary" has the number 7, which the data does not have. Rule: Use no number in "summary" that does not stand in the data.',
    ]);
    expect(messageText(held("[size]").render({ note: "n", place: null, size: 1 }).at(-1)!)).toContain(
      'Rule: Use no number in "summary" that does not stand in the data.',
    );
    expect(complaintsOf("rules: [{ numbersFrom: [sice] }]")).toContain("size");
  });

  it.each([
    ["none of the four", "rules: [{ say: be nice }]", "A rule has exactly one of"],
    ["two of them", "rules: [{ forbid: [a], require: [b] }]", "A rule has exactly one of"],
    ["no words for a check", "rules: [{ check: answer.act }]", "Say in words what the rule wants"],
    ["a pattern that is none", 'rules: [{ pattern: "(", say: x }]', "`(` cannot be used as a pattern: it is not a regular expression."],
    ["a pattern that could take for ever", 'rules: [{ pattern: "(a)\\\\1", say: x }]', "has a back-reference such as `\\1`"],
    ["CEL that is none", "rules: [{ check: answer.act +, say: x }]", "This rule cannot be read as CEL over `answer`"],
    ["a part that is not there", "rules: [{ forbid: [a], in: sumary }]", "The answer has no part `sumary`. Did you mean `summary`?"],
    ["a part that is not there, in CEL", "rules: [{ check: answer.acts, say: x }]", "The answer has no part `acts`. Did you mean `act`?"],
  ])("with %s are a mistake in the template", (_, rules, message) => {
    expect(complaintsOf(rules)).toContain(message);
  });
});

describe("missing inputs", () => {
  it("decline, decline in own words, proceed, or are replaced; words of a list count as missing", () => {
    const prepared = preparedOf('missingWords: [n/a, "-"]\nwhenMissing: { note: { decline: the crew wrote nothing }, size: { use: 7 } }\n');
    expect(inWords(readInputs(prepared, { note: " N/A ", size: "1" }))).toEqual({ state: "missing", reason: "the crew wrote nothing" });
    expect(readInputs(prepared, { note: "x", place: "-", size: "" })).toEqual({
      state: "ready",
      inputs: { note: "x", place: null, size: 7 },
    });
    expect(inWords(readInputs(preparedOf('missingWords: ["-"]\n'), { note: "-", size: "1" }))).toEqual({
      state: "missing",
      reason: "note is missing",
    });
    expect(readInputs(preparedOf("whenMissing: { note: proceed }\n"), { size: "1" })).toMatchObject({
      state: "ready",
      inputs: { note: null },
    });
  });

  it("cannot be replaced by what does not fit, nor be given a way that is none", () => {
    expect(complaintsOf("whenMissing: { size: { use: many } }\n")).toContain("The value to use for `size` does not fit: must be a number.");
    expect(complaintsOf("whenMissing: { size: skip }\n")).toContain("Expected decline, proceed");
  });
});
