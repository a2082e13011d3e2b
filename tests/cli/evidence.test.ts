import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { removeTempFolders, run, smallProject } from "../helpers/cli.js";

afterAll(removeTempFolders);

const NOTES = `id,note
n1,"All quiet until six. Then flames and smoke behind the dryer, put out at once."
n2,"Pump leaks oil: “a cupful”, no more."
n3,"A parcel for the office."
`;

describe("a project whose answers point at their words", () => {
  let folder: string;
  beforeAll(() => {
    folder = smallProject(NOTES);
    const template = path.join(folder, "templates", "sort.yaml");
    writeFileSync(template, readFileSync(template, "utf8").replace("otherwise: other }", "otherwise: other, evidence: { in: [note] } }"));
    const plan = path.join(folder, "plans", "log.yaml");
    writeFileSync(plan, readFileSync(plan, "utf8").replace("because: why", "words: topic.quote, place: topic.place, from: topic.source"));
    writeFileSync(
      path.join(folder, "samples.csv"),
      'id,note,topic\ns1,"Smoke and flames.",fire\ns2,"Oil on the water.",spill\ns3,"A parcel.",other\ns4,"A quiet night. Oil on the deck.",fire\n',
    );
  });

  it("tries a row, and marks the words in it", async () => {
    const tried = await run(["try", "sort", "--input", "note=All quiet. Flames and smoke aft."], folder);
    expect(tried.code).toBe(0);
    expect(tried.out).toMatch(/Evidence\n {2}topic {2}note, characters 12 to 32\n {4}All quiet\. »Flames and smoke aft\.«/);
    const told = (await run(["try", "sort", "--input", "note=All quiet. Flames and smoke aft.", "--json"], folder)).json();
    expect(told).toMatchObject({
      evidence: [
        {
          part: "topic",
          found: "atOnce",
          quote: "Flames and smoke aft.",
          source: "note",
          before: "All quiet. ",
          behind: "",
          at: { from: 11, to: 32 },
        },
      ],
    });
  });

  it("fills columns with quotation, source and place, and explains a cell with its words marked", async () => {
    expect((await run(["fill", "log"], folder)).code).toBe(0);
    const rows = parse(readFileSync(path.join(folder, "log.filled.csv")), { columns: true, bom: true });
    expect(rows).toMatchObject([
      { topic: "fire", words: "Then flames and smoke behind the dryer, put out at once.", from: "note" },
      { topic: "spill", words: "Pump leaks oil: “a cupful”, no more." },
      { topic: "other" },
    ]);
    expect((await run(["status", "log", "--cell", "n1", "--column", "words"], folder)).out).toContain(
      "All quiet until six. »Then flames and smoke behind the dryer, put out at once.«",
    );
  });

  it("tells in the report of a plan how words were found, with some of them, as far as the rows still say so", async () => {
    const notes = path.join(folder, "log.csv");
    writeFileSync(notes, readFileSync(notes, "utf8").replace("Pump leaks oil", "Nothing leaks"));
    const told = await run(["report", "log", "--to", "log.html"], folder);
    expect(told.out).toMatch(/evidence of topic: of 3 answers 3 found at once, 0 after the mend, 0 never/);
    const html = readFileSync(path.join(folder, "log.html"), "utf8");
    expect(html).toMatch(/topic: fire<\/b>[\s\S]*row n1, note,\s+characters 22 to 77[\s\S]*until six\. <mark>Then flames and smoke/);
    // What no longer stands in its row is told alone.
    expect(html).toContain("<blockquote><mark>Pump leaks oil: “a cupful”, no more.</mark></blockquote>");
    const { evidence } = (await run(["report", "log", "--json"], folder)).json<{ evidence: { passages: { key: string }[] }[] }>();
    expect(evidence).toMatchObject([{ step: "sort", part: "topic", answers: 3, atOnce: 3, mended: 0, never: 0 }]);
    expect(evidence[0]!.passages.map(({ key }) => key)).toEqual(["n1", "n2", "n3"]);
    writeFileSync(notes, NOTES);
  });

  it("counts in a trial whether words were found, in the report, too", async () => {
    const trial = await run(["trial", "sort", "--samples", "samples.csv", "--report", "trial.html"], folder);
    expect(trial.out).toMatch(
      /Evidence {2}whether the words given stand in the row\n.*\n {2}topic +4 +4 +51\.0 % to 100\.0 % +0 +0 +0\.0 % to 49\.0 %/,
    );
    expect(readFileSync(path.join(folder, "trial.html"), "utf8")).toMatch(
      /letter by letter[\s\S]*the words that carry it[\s\S]*A quiet night\. <mark>Oil on the deck\.<\/mark>/,
    );
  });

  it("says where the evidence of an example does not stand in it", async () => {
    const template = path.join(folder, "templates", "sort.yaml");
    const text = readFileSync(template, "utf8");
    const example =
      '{ inputs: { note: "Oil on deck" }, answer: { why: oil, topic: spill, level: 1 }, evidence: { topic: "fire on deck" } }';
    writeFileSync(template, `${text}examples:\n  - ${example}\n`);
    const checked = await run(["check", "sort"], folder);
    writeFileSync(template, text);
    expect(checked).toMatchObject({
      code: 2,
      out: expect.stringContaining(
        "templates/sort.yaml:12:105  The example's `topic` does not fit: its evidence does not stand in note of the example",
      ),
    });
  });

  it("says what is wrong with columns of evidence that there is none of", async () => {
    const plan = path.join(folder, "plans", "log.yaml");
    const text = readFileSync(plan, "utf8");
    writeFileSync(plan, text.replace("topic.quote", "level.quote"));
    const checked = await run(["check"], folder);
    writeFileSync(plan, text);
    expect(checked).toMatchObject({
      code: 2,
      out: expect.stringContaining(
        "The answer has no part `level.quote`. Parts: why, topic, level, topic.quote, topic.source, topic.place.",
      ),
    });
  });
});
