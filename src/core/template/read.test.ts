import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { formatComplaint, isYoroshiError } from "../ground/index.js";
import { readTemplate, template } from "./read.js";

const GOOD = `yoroshi: template/1
name: tone
inputs:
  note: { kind: text, maxChars: 100 }
task: |
  How does the writer feel?
  {{ note }}
answer:
  tone: { kind: choice, options: [calm, upset] }
`;

const complaintsOf = (text: string): string[] => readTemplate(text, "t.yaml").complaints.map(formatComplaint);

describe("reading a template", () => {
  it("reads a good one", () => {
    const { template: made, complaints } = readTemplate(GOOD, "t.yaml");
    expect(complaints).toEqual([]);
    expect(made).toMatchObject({ name: "tone", answer: { tone: { kind: "choice", options: ["calm", "upset"] } } });
  });

  it.each([
    [
      "an unknown key, with the nearest one",
      GOOD.replace("task:", "tasks:"),
      "t.yaml:5:1  There is no key `tasks` here. Did you mean `task`?",
    ],
    [
      "an unknown key inside a kind",
      GOOD.replace("maxChars", "maxChar"),
      "t.yaml:4:23  There is no key `maxChar` here. Did you mean `maxChars`?",
    ],
    [
      "a text torn by a comma",
      GOOD.replace("kind: text,", "kind: text, about: what happened, and when,"),
      "`and when` reads as a key of its own, because a comma stands before it. Put the whole text in quotes",
    ],
    ["an unknown kind", GOOD.replace("kind: choice", "kind: choise"), "t.yaml:9:17  There is no kind `choise`. Did you mean `choice`?"],
    [
      "an unknown input in the task, at its place in the block",
      GOOD.replace("{{ note }}", "{{ noet }}"),
      "t.yaml:7:6  `{{ noet }}` is used, but there is no input `noet`. Did you mean `note`?",
    ],
    [
      "an unused input",
      GOOD.replace("{{ note }}", ""),
      "t.yaml:4:3  The input `note` is never used. Write `{{ note }}` into the task, or remove the input.",
    ],
    [
      "a choice without options",
      GOOD.replace(", options: [calm, upset]", ""),
      "t.yaml:9:9  A choice needs options: a list, a map from option to meaning, or `{ from: <reference> }`.",
    ],
    [
      "a reference that is not declared",
      GOOD.replace("[calm, upset]", "{ from: tones }"),
      "There is no reference `tones`. References: none.",
    ],
    ["a missing key", GOOD.replace(/task: \|\n.*\n.*\n/, ""), "The key `task` is missing."],
    [
      "a value of the wrong type",
      GOOD.replace("maxChars: 100", "maxChars: lots"),
      't.yaml:4:33  Expected a number, found the text "lots".',
    ],
    [
      "broken Liquid, at its place",
      GOOD.replace("{{ note }}", "{% if note %}{{ note }}"),
      "t.yaml:7:3  The text with placeholders cannot be read: tag {% if note %} not closed.",
    ],
    ["a tag that is not allowed", GOOD.replace("{{ note }}", "{{ note }}{% render 'x' %}"), "there is no tag `render` here"],
    [
      "another format",
      GOOD.replace("template/1", "plan/1"),
      "t.yaml:1:10  The file says `yoroshi: plan/1` where `yoroshi: template/1` is expected.",
    ],
    [
      "a format that is no text",
      GOOD.replace("template/1", "{{ a | b }}"),
      "The file says `yoroshi: {…}` where `yoroshi: template/1` is expected.",
    ],
    [
      "no format",
      GOOD.replace("yoroshi: template/1\n", ""),
      "The file does not say what it is. Add `yoroshi: template/1` as its first line.",
    ],
    ["broken YAML", GOOD.replace("[calm, upset]", "[calm, upset"), "This is not valid YAML"],
    ["a doubled key", `${GOOD}name: other\n`, "This is not valid YAML: Map keys must be unique"],
    ["an empty file", "", "The file is empty."],
    ["a name that cannot be one", GOOD.replace("name: tone", "name: The Tone"), "A name is made of small letters, digits and hyphens"],
    [
      "twin options",
      GOOD.replace("[calm, upset]", "[calm, Calm]"),
      "The options `calm` and `Calm` differ only in case or spacing. Keep one.",
    ],
    [
      "a scale outside its range",
      `${GOOD}  how: { kind: score, from: 1, to: 3, scale: { 4: much } }\n`,
      "The scale describes 4, which is not a whole number from 1 to 3.",
    ],
    [
      "an example that does not fit",
      `${GOOD}examples:\n  - inputs: { note: hm }\n    answer: { tone: cross }\n`,
      "The example's `tone` does not fit: must be one of: calm, upset.",
    ],
    ["whenMissing of an unknown input", `${GOOD}whenMissing: { notes: decline }\n`, "There is no key `notes` here. Did you mean `note`?"],
    [
      "a kind inside a list",
      `${GOOD}  all: { kind: list, of: { kind: text, max: 3 } }\n`,
      "There is no key `max` here. Known keys: kind, about, maxChars, maxSentences, maxWords, form, markup, language.",
    ],
  ])("complains of %s", (_, text, expected) => {
    expect(complaintsOf(text).join("\n")).toContain(expected);
  });

  it("tells several mistakes at once", () => {
    expect(complaintsOf(GOOD.replace("maxChars", "maxChar").replace("[calm, upset]", "3").replace("name: tone", "name: 5"))).toHaveLength(
      3,
    );
  });

  it("throws all mistakes for a template made in code", () => {
    const make = (): unknown => template({ name: "x", inputs: {}, task: "{{ y }}", answer: {} });
    expect(make).toThrow(/no parts[\s\S]*no input `y`/);
    try {
      make();
    } catch (error) {
      expect(isYoroshiError(error) && error.exitCode).toBe(2);
    }
  });

  it("gives a place or a template for every damaged file, and never crashes", () => {
    fc.assert(
      fc.property(fc.nat(GOOD.length), fc.nat(12), fc.string({ unit: "binary-ascii", maxLength: 6 }), (at, cut, put) => {
        const { template: made, complaints } = readTemplate(GOOD.slice(0, at) + put + GOOD.slice(at + cut), "t.yaml");
        expect(made === undefined).toBe(complaints.length > 0);
        for (const { place } of complaints) expect(place.line).toBeGreaterThan(0);
      }),
      { numRuns: 500 },
    );
  });
});
