import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import {
  checkPlan,
  isYoroshiError,
  messageText,
  prepare,
  readPlan,
  readSamples,
  readTemplate,
  warnTemplate,
} from "../../src/core/index.js";
import { packBundle, unpackBundle } from "../../src/adapters/bundle/index.js";
import { csvTable, readSmallCsv } from "../../src/adapters/csv/index.js";
import { readProjectFile } from "../../src/project/project-file.js";
import { removeTempFolders, tempFolder } from "../helpers/cli.js";

afterAll(removeTempFolders);
const root = fileURLToPath(new URL("../../", import.meta.url));
const read = (file: string): string => readFileSync(path.join(root, file), "utf8");
const filesOf = (folder: string): string[] =>
  readdirSync(path.join(root, folder))
    .filter((file) => /\.ya?ml$/.test(file))
    .map((file) => `${folder}/${file}`);

/** Things that upset parsers, among them the formats' own marks in the wrong place. */
const SHARDS = [
  "",
  "\n",
  "  ",
  "\t",
  ":",
  "- ",
  "{",
  "}",
  "[",
  "]",
  '"',
  "'",
  "#",
  "|",
  ">",
  "&a",
  "*a",
  "!!js",
  "{{",
  "}}",
  "{%",
  "%}",
  "{{ a | b }}",
  "{% for x in y %}",
  "{% include 'a' %}",
  "null",
  "-1",
  "1e999",
  ".inf",
  "2026-02-30",
  "\u0000",
  "\ufeff",
  "\ud800",
  "\u202e",
  "ß",
  "__proto__",
  "constructor: 1",
  ",",
  ";",
  '""',
  "\r",
];

type Edit = readonly [at: number, cut: number, shard: string];
const edits = fc.array(fc.tuple(fc.nat(10_000), fc.nat(30), fc.oneof(fc.constantFrom(...SHARDS), fc.string({ maxLength: 6 }))), {
  minLength: 1,
  maxLength: 6,
}) as fc.Arbitrary<Edit[]>;

function mutated(text: string, changes: readonly Edit[]): string {
  return changes.reduce((now, [at, cut, shard]) => {
    const from = at % (now.length + 1);
    return now.slice(0, from) + shard + now.slice(from + cut);
  }, text);
}

interface Read {
  readonly ok: boolean;
  readonly complaints: readonly {
    readonly place: { readonly file: string; readonly line: number; readonly column: number };
    readonly message: string;
  }[];
}

/** Either it can be used, or every complaint has a place in the file and a sentence. */
function soundly({ ok, complaints }: Read, text: string): void {
  expect(ok).toBe(complaints.length === 0);
  const lines = text.split(/\r\n|\n|\r/).length;
  for (const { place, message } of complaints) {
    expect(place.file).toBe("f.yaml");
    expect(place.line >= 1 && place.line <= lines + 1 && place.column >= 1).toBe(true);
    expect(message.length).toBeGreaterThan(8);
    expect(message).not.toMatch(/undefined|\[object|at Object|node_modules/);
  }
}

const templates = [...filesOf("starters"), ...filesOf("demo/templates")];
const runs = { numRuns: 150 };

describe("every file format, torn and twisted, is read or complained of with a place", () => {
  it.each(templates)("template %s", (file) => {
    const whole = read(file);
    fc.assert(
      fc.property(edits, (changes) => {
        const text = mutated(whole, changes);
        const { template, document, complaints } = readTemplate(text, "f.yaml");
        soundly({ ok: template !== undefined, complaints }, text);
        if (!template || !document) return;
        warnTemplate(template, document);
        // What was read can be made ready, or says in a sentence what it needs.
        try {
          prepare(template).render({});
        } catch (error) {
          if (!isYoroshiError(error)) throw error;
        }
      }),
      runs,
    );
  });

  it.each(filesOf("demo/plans"))("plan %s", (file) => {
    const whole = read(file);
    const { template } = readTemplate(read("demo/templates/hazard-triage.yaml"), "t.yaml");
    fc.assert(
      fc.property(edits, (changes) => {
        const text = mutated(whole, changes);
        const { plan, document, complaints } = readPlan(text, "f.yaml");
        soundly({ ok: plan !== undefined, complaints }, text);
        if (plan && document)
          soundly(
            {
              ok: false,
              complaints: [
                ...checkPlan(plan, Object.fromEntries(Object.keys(plan.steps).map((step) => [step, template!])), document, {
                  name: "t",
                  columns: ["a"],
                }),
              ],
            },
            text,
          );
      }),
      runs,
    );
  });

  it("project file", () => {
    const whole = read("demo/yoroshi.yaml");
    fc.assert(
      fc.property(edits, (changes) => {
        const text = mutated(whole, changes);
        const { project, complaints } = readProjectFile(text, "f.yaml");
        soundly({ ok: project !== undefined, complaints }, text);
      }),
      { numRuns: 600 },
    );
  });

  it("CSV table and samples", async () => {
    const folder = tempFolder();
    const file = path.join(folder, "t.csv");
    const whole = read("demo/samples/hazard-triage.csv").slice(0, 4_000);
    const { template } = readTemplate(read("starters/tone.yaml"), "t.yaml");
    const prepared = prepare(template!);
    await fc.assert(
      fc.asyncProperty(edits, async (changes) => {
        writeFileSync(file, mutated(whole, changes));
        try {
          const small = await readSmallCsv(file, "t.csv");
          for await (const { rows } of csvTable({ file, name: "t.csv", key: "reportId" }).read())
            for (const row of rows) expect(typeof row.key).toBe("string");
          readSamples(prepared, "t.csv", small.columns, small.rows);
        } catch (error) {
          if (!isYoroshiError(error)) throw error;
          expect(error.message).toMatch(/^t\.csv/);
        }
      }),
      { numRuns: 300 },
    );
  });

  it("bundle", () => {
    const zip = packBundle([{ path: "templates/a.yaml", bytes: new TextEncoder().encode(read("starters/tone.yaml")) }]);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(zip.length - 1), fc.integer({ min: 0, max: 255 })), { minLength: 1, maxLength: 8 }),
        fc.nat(zip.length),
        (changes, keep) => {
          const spoilt = zip.slice(0, changes.length % 2 === 0 ? zip.length : keep);
          for (const [at, byte] of changes) if (at < spoilt.length) spoilt[at] = byte;
          try {
            for (const file of unpackBundle(spoilt, "b.zip")) expect(file.path).toBe("templates/a.yaml");
          } catch (error) {
            if (!isYoroshiError(error)) throw error;
            expect(error.code).toBe("bundleBroken");
          }
        },
      ),
      { numRuns: 500 },
    );
  });
});

it("a template cannot loop without end, nor read what is not its own", () => {
  const made = (task: string) =>
    prepare(
      readTemplate(
        `yoroshi: template/1\nname: x\ninputs: { n: { kind: text } }\ntask: ${JSON.stringify(task)}\nanswer: { a: { kind: yesNo } }\n`,
        "f.yaml",
      ).template!,
    );
  const loops = made(
    "{{ n }}{% for a in (1..9999) %}{% for b in (1..9999) %}{% for c in (1..9999) %}x{% endfor %}{% endfor %}{% endfor %}",
  );
  expect(() => loops.render({ n: "x" })).toThrow(/cannot be rendered: .*limit/);
  for (const tag of ["include '/etc/passwd'", "render 'x'", "layout 'x'", "capture x"]) {
    const { complaints } = readTemplate(
      `yoroshi: template/1\nname: x\ninputs: { n: { kind: text } }\ntask: ${JSON.stringify(`{{ n }}{% ${tag} %}`)}\nanswer: { a: { kind: yesNo } }\n`,
      "f.yaml",
    );
    expect(complaints[0]!.message, tag).toContain("there is no tag");
  }
  expect(messageText(made("{{ n }}{{ n.constructor }}").render({ n: "x" })[1]!)).not.toContain("function");
});
