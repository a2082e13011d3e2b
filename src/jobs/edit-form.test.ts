import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { parse } from "yaml";
import { withForm } from "./edit-form.js";

const text = `# Crew reports
yoroshi: template/1
name: triage   # by habit the file's name
inputs:
  report:  { kind: text, maxChars: 6000 }   # what the crew wrote
  # when it was logged
  logged:  { kind: date, required: false }
task: |
  Decide which hazard.
  {{ report }}

answer:
  why: { kind: text, maxChars: 240 }

  hazard:
    kind: choice
    options: [fire, fall]  # two only
`;
interface Entry {
  [key: string]: unknown;
}
const form = (): { inputs: Record<string, Entry>; answer: Record<string, Entry>; [key: string]: unknown } => parse(text);

describe("a form that is written into YAML", () => {
  it("changes one value and no other character", () => {
    const wanted = form();
    wanted.inputs["report"]!["maxChars"] = 500;
    expect(withForm(text, wanted, "t.yaml")).toBe(text.replace("6000", "500"));
    wanted["name"] = "triage: deck";
    expect(withForm(text, wanted, "t.yaml")).toBe(text.replace("6000", "500").replace("name: triage ", 'name: "triage: deck" '));
  });

  it("writes a text of several lines anew, in its indentation, and keeps what follows", () => {
    const wanted = form();
    wanted["task"] = "Look closely.\n{{ report }}\n";
    expect(withForm(text, wanted, "t.yaml")).toBe(text.replace("Decide which hazard.", "Look closely."));
  });

  it("adds entries behind the one before them, and takes them out, comments of others kept", () => {
    const wanted = form();
    wanted.inputs = { report: wanted.inputs["report"]!, by: { kind: "text" }, logged: wanted.inputs["logged"]! };
    wanted.answer["hazard"]!["otherwise"] = "unclear";
    delete wanted.answer["why"];
    const changed = withForm(text, wanted, "t.yaml");
    expect(parse(changed)).toEqual(wanted);
    expect(Object.keys((parse(changed) as typeof wanted).inputs)).toEqual(["report", "by", "logged"]);
    for (const comment of ["# Crew reports", "# by habit the file's name", "# what the crew wrote", "# when it was logged", "# two only"])
      expect(changed).toContain(comment);
    expect(changed).not.toContain("why:");
  });

  it("puts entries into another order, and keeps their comments", () => {
    const { answer, ...others } = form();
    const wanted = { ...others, answer: { hazard: answer["hazard"], why: answer["why"] } };
    const changed = withForm(text, wanted, "t.yaml");
    expect(Object.keys((parse(changed) as typeof wanted).answer)).toEqual(["hazard", "why"]);
    expect(changed).toContain("# two only");
  });

  it("says so where the text is no map", () => {
    expect(() => withForm("- a\n", { a: 1 }, "t.yaml")).toThrow(/cannot be read as YAML/);
  });

  it("takes an entry away whose key is a number, where the text has to be written anew", () => {
    const text = "a:\n  scale:\n    1: low\n    2: middle\n    3: high\nb:\n  - x: 1\n    y: 2\n";
    const wanted = { a: { scale: { 1: "low", 3: "higher" } }, b: [{ y: 2 }] };
    expect(parse(withForm(text, wanted, "t.yaml"))).toEqual(wanted);
  });

  it("says exactly what the form says, whatever is changed in the demo's files", () => {
    const root = fileURLToPath(new URL("../../demo/", import.meta.url));
    const files = ["templates", "plans"].flatMap((folder) =>
      readdirSync(path.join(root, folder)).map((name) => path.join(root, folder, name)),
    );
    const value = fc.oneof(
      fc.string(),
      fc.constantFrom("a: b", "x # y", "two\nlines\n", "- item", "", "yes", "1", "{ {"),
      fc.integer(),
      fc.boolean(),
      fc.array(fc.string(), { maxLength: 3 }),
      fc.dictionary(fc.stringMatching(/^[a-z]{1,6}$/), fc.oneof(fc.string(), fc.integer()), {
        minKeys: 1,
        maxKeys: 3,
        noNullPrototype: true,
      }),
    );
    fc.assert(
      fc.property(
        fc.constantFrom(...files),
        fc.array(fc.tuple(fc.nat(), fc.nat(2), value), { minLength: 1, maxLength: 4 }),
        (file, edits) => {
          const before = readFileSync(file, "utf8");
          const wanted = parse(before) as Record<string, unknown>;
          for (const [place, how, given] of edits) {
            const maps = mapsOf(wanted);
            const map = maps[place % maps.length]!;
            const keys = Object.keys(map);
            const key = keys[(place >> 3) % Math.max(1, keys.length)];
            if (how === 0 && key !== undefined) map[key] = given;
            else if (how === 1 && key !== undefined && keys.length > 1) delete map[key];
            else map[`added${place % 7}`] = given;
          }
          expect(JSON.stringify(parse(withForm(before, wanted, file)))).toBe(JSON.stringify(wanted));
        },
      ),
      { numRuns: 300 },
    );
  });
});

function mapsOf(value: unknown): Record<string, unknown>[] {
  if (Array.isArray(value)) return value.flatMap(mapsOf);
  if (typeof value !== "object" || value === null) return [];
  return [value as Record<string, unknown>, ...Object.values(value).flatMap(mapsOf)];
}
