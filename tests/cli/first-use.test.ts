import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, describe, expect, it } from "vitest";
import { notesCsv, removeTempFolders, run, smallProject, startWithInput } from "../helpers/cli.js";
import { python, PYTHON } from "../helpers/other-programs.js";

afterAll(removeTempFolders);
const put = (folder: string, file: string, text: string): void => writeFileSync(path.join(folder, file), text);
const edit = (folder: string, file: string, change: (text: string) => string): void =>
  put(folder, file, change(readFileSync(path.join(folder, file), "utf8")));
const fixture = (file: string): string => fileURLToPath(new URL(`../fixtures/abroad/${file}`, import.meta.url));

/** A project whose template takes a number and a day, over a table of another country. */
function abroad(): string {
  const folder = smallProject("");
  edit(folder, "templates/sort.yaml", (text) =>
    text
      .replace("task: |", "  cost: { kind: number, required: false }\n  day: { kind: date, required: false }\ntask: |")
      .replace("{{ note }}", "{{ note }} {{ cost }} {{ day }}"),
  );
  put(
    folder,
    "plans/log.yaml",
    "yoroshi: plan/1\nname: log\ntable: { file: log.csv, key: Nr }\nsteps:\n  sort:\n    template: sort\n    inputs: { note: Ereignis, cost: Kosten (EUR), day: Tag }\n    fill: { topic: topic, level: level }\n",
  );
  copyFileSync(fixture("comma-dayfirst.csv"), path.join(folder, "log.csv"));
  return folder;
}

describe("a table as people in another country write it", () => {
  it("is read as it is meant, told, and written back as it was", async () => {
    const folder = abroad();
    const ran = await run(["fill", "log"], folder);
    expect(ran).toMatchObject({ code: 0, out: expect.stringContaining("5 filled") });
    expect(ran.err).toContain(
      "log.csv: `Kosten (EUR)` is read with a decimal comma, as in `1.234,56`. `numbers: point` at the table would say otherwise.",
    );
    expect(ran.err).toContain("log.csv: `Tag` is read with the day first, as in `17/06/2026`.");
    expect((await run(["try", "log", "--row", "1", "--json"], folder)).out).toMatch(
      /name=.{2}cost.{2}>1234\.56<.*name=.{2}day.{2}>2026-06-01</,
    );
    // Byte order mark, separator and every cell stand as in the source, so that a spreadsheet program opens it alike.
    const [before, after] = ["log.csv", "log.filled.csv"].map((file) => readFileSync(path.join(folder, file), "utf8").split("\r\n"));
    expect(after!.map((line, index) => line.startsWith(`${before![index]};`) || line === before![index])).not.toContain(false);
    expect(after![0]!.startsWith("\ufeffNr;")).toBe(true);
  });

  it("is asked about where it can be read in two ways, and taken as the plan says", async () => {
    const folder = abroad();
    put(folder, "log.csv", "Nr;Ereignis;Kosten (EUR);Tag\n1;smoke;1.200;01/06/2026\n");
    const refused = await run(["fill", "log"], folder);
    expect(refused).toMatchObject({
      code: 2,
      err: expect.stringContaining(
        'the numbers in `Kosten (EUR)` can be read in two ways: `1.200` (row 2). Say under `table:` in the plan which is meant, `numbers: comma` or `numbers: point`; for this column alone: `columns: { "Kosten (EUR)": { numbers: comma } }`',
      ),
    });
    edit(folder, "plans/log.yaml", (text) => text.replace("key: Nr", 'key: Nr, numbers: comma, columns: { "Tag": { dates: monthFirst } }'));
    expect((await run(["try", "log", "--row", "1", "--json"], folder)).out).toMatch(
      /name=.{2}cost.{2}>1200<.*name=.{2}day.{2}>2026-01-06</,
    );
    edit(folder, "plans/log.yaml", (text) => text.replace('"Tag"', '"Tga"'));
    expect((await run(["check", "log"], folder)).out).toContain("log.csv has no column `Tga`. Columns: Nr, Ereignis, Kosten (EUR), Tag.");
  });

  it("is graded as it is meant: inputs and right values of samples", async () => {
    const folder = abroad();
    put(
      folder,
      "samples/sort.csv".replace("samples/", ""),
      "id;note;cost;day;level\n1;smoke in the galley;300,25;17/06/2026;2\n2;oil on deck;12,5;01/07/2026;3\n",
    );
    expect((await run(["trial", "sort", "--samples", "sort.csv"], folder)).err).toContain("sort.csv: `cost` is read with a decimal comma");
    put(folder, "sort.csv", "id;note;cost;day;level\n1;smoke in the galley;1,200;;2\n");
    expect(await run(["trial", "sort", "--samples", "sort.csv"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("`cost` can be read in two ways: `1,200` (row 2). Write numbers as 1234.5 and days as 2026-03-04."),
    });
  });
});

it("a table that is made is written as the project says, for a spreadsheet program in Europe", async () => {
  const folder = smallProject(notesCsv(6));
  edit(folder, "yoroshi.yaml", (text) => `${text}csv: { separator: semicolon, byteOrderMark: true }\n`);
  put(
    folder,
    "plans/topics.yaml",
    "yoroshi: plan/1\nname: topics\ntable: { groups: { of: log, by: topic, figures: { notes: { count: all } } }, file: topics.csv }\n",
  );
  expect((await run(["fill", "log", "--derived"], folder)).code).toBe(0);
  expect(readFileSync(path.join(folder, "topics.csv"), "utf8")).toMatch(/^\ufefftopic;notes\n[a-z]+;\d\n/);
  expect(readFileSync(path.join(folder, "log.filled.csv"), "utf8")).toMatch(/^id,note,/);
});

it.skipIf(!PYTHON)("new columns of a workbook have a fitting width, wrap like their neighbour, and are never a hidden one", async () => {
  const folder = smallProject("");
  edit(folder, "plans/log.yaml", (text) => text.replace("log.csv", "log.xlsx"));
  python(`import openpyxl
from openpyxl.styles import Alignment
b = openpyxl.Workbook(); s = b.active
s.append(["id", "note"])
for i in range(3):
    s.append([f"n{i}", "smoke in the galley, and flames behind the dryer at the second try"]); s.cell(i + 2, 2).alignment = Alignment(wrap_text=True)
s.column_dimensions["C"].hidden = True
b.save("${folder}/log.xlsx")`);
  expect((await run(["fill", "log"], folder)).code).toBe(0);
  const seen = JSON.parse(
    python(`import openpyxl, json
s = openpyxl.load_workbook("${folder}/log.filled.xlsx").active
names = {c.value: c.column_letter for c in s[1] if c.value}
print(json.dumps({n: dict(hidden=s.column_dimensions[l].hidden, width=s.column_dimensions[l].width, wrap=s[f"{l}2"].alignment.wrap_text, value=s[f"{l}2"].value) for n, l in names.items()}))`),
  ) as Record<string, { hidden: boolean; width: number; wrap: boolean | null; value: unknown }>;
  for (const column of ["topic", "level", "because"]) expect(seen[column]).toMatchObject({ hidden: false, wrap: true });
  expect(seen["because"]!.width).toBeGreaterThan(seen["level"]!.width);
  expect(seen["because"]!.width).toBeGreaterThan(15);
});

describe("a header below a title", () => {
  it("of a CSV file is found, and said what to do", async () => {
    const folder = abroad();
    put(folder, "log.csv", "Bericht 2026;;;\r\n;;;\r\nNr;Ereignis;Kosten (EUR);Tag\r\n1;smoke;3,5;1.6.2026\r\n");
    expect((await run(["check", "log"], folder)).out).toContain(
      "log.csv has no column `Nr`. Columns: Bericht 2026. Row 3 (Nr, Ereignis, Kosten (EUR), Tag) looks like the header: remove the rows above it.",
    );
    edit(folder, "plans/log.yaml", (text) => text.replace("key: Nr", "key: Nr, headerRow: 3"));
    expect((await run(["check", "log"], folder)).out).toContain("`headerRow` is for workbooks. Remove the rows above the header.");
  });

  it.skipIf(!PYTHON)("of a workbook is found, and its row named; with `headerRow` it is taken", async () => {
    const folder = abroad();
    python(`import openpyxl
for title in (1, 2):
    b = openpyxl.Workbook(); s = b.active
    s.append(["Inspection of the fleet"] * title); s.append([]); s.append(["printed", 46000])
    s.append(["Nr", "Ereignis", "Kosten (EUR)", "Tag"]); s.append([1, "smoke", 300.25, "01.06.2026"]); s.append([2, "oil", "12,5", "02.06.2026"])
    b.save(f"${folder}/log{title}.xlsx")`);
    edit(folder, "plans/log.yaml", (text) => text.replace("log.csv", "log1.xlsx"));
    const advice = "Row 4 (Nr, Ereignis, Kosten (EUR), Tag) looks like the header: say `headerRow: 4` under `table:`.";
    expect((await run(["check", "log"], folder)).out).toContain(`has no column \`Nr\`. Columns: Inspection of the fleet. ${advice}`);
    edit(folder, "plans/log.yaml", (text) => text.replace("log1.xlsx", "log2.xlsx"));
    expect((await run(["fill", "log"], folder)).err).toContain(
      `two columns are named \`Inspection of the fleet\`. Give each its own name. ${advice}`,
    );
    edit(folder, "plans/log.yaml", (text) => text.replace("key: Nr", "key: Nr, headerRow: 4"));
    expect(await run(["fill", "log"], folder)).toMatchObject({ code: 0, out: expect.stringContaining("2 filled") });
  });
});

describe("words of a file's mistakes say what to type", () => {
  const step =
    (more: string) =>
    (text: string): string =>
      text.replace(/fill: .*/, `fill: { topic: topic }\n    ${more}`);

  it.each([
    ['when: row.Needs a visit == "yes"', 'A column whose name is not one word: `row["Needs a visit"]`.'],
    ['when: row.id = "x"', "Write `==` to compare."],
    ['when: row.id == "x" AND row.id != "and"', "Write `&&` for `AND`."],
    ['when: id == "n1"', 'there is no `id` by itself. Of a column write `row.id`, of a text `"id"`.'],
    ["when: row.id == “n1”", "Use straight quotes"],
    ["when: !row.id", "YAML reads `!row.id` as a tag, for its `!`. Put quotes around it: `'!row.id'`."],
    ['when: row.id == "a: b"', "Put quotes around the text: `when: 'row.id == \"a: b\"'`."],
    ['when: "n1" == row.id', "Put quotes around the text: `when: '\"n1\" == row.id'`."],
    [
      'clear: [{ when: row.id.split(" ").exists(t, t == "a"), give: { topic: fire } }]',
      'Put the whole text in quotes: `when: \'row.id.split(" ").exists(t, t == "a")\'`.',
    ],
    ["fill: { level: level }", "`fill` stands twice at the same place; leave one of them."],
    ["\tkeep: x", "Indent with spaces."],
    ["when: @x", "Put quotes around the text: `when: '@x'`."],
  ])("%s", async (more, advice) => {
    const folder = smallProject(notesCsv(1));
    edit(folder, "plans/log.yaml", step(more));
    expect(await run(["check", "log"], folder)).toMatchObject({ code: 2, out: expect.stringContaining(advice) });
  });

  it("a fill the wrong way round, a table without a key, a number compared with a text", async () => {
    const folder = smallProject(notesCsv(3));
    edit(folder, "plans/log.yaml", (text) => text.replace(/fill: .*/, "fill: { topic: Topic of it }"));
    expect((await run(["check", "log"], folder)).out).toContain(
      "`fill` names the column first, then the part of the answer: `fill: { Topic of it: topic }`.",
    );
    edit(folder, "plans/log.yaml", (text) => text.replace(/fill: .*/, "fill: { topic: topic }").replace(", key: id", ""));
    expect((await run(["fill", "log"], folder)).err).toContain(
      "The table needs a `key`: the column whose value names a row, or several that do so together. In its rows these do: `key: id`, `key: note`.",
    );
    edit(folder, "plans/log.yaml", (text) =>
      text.replace("file: log.csv", "file: log.csv, key: id").replace("fill: {", "when: row.id > 3\n    fill: {"),
    );
    expect((await run(["status", "log"], folder)).out).toContain("the condition takes text for a number; write double(row.…)");
  });

  it.each([
    ["api.example.com/v1", "Write `https://api.example.com/v1`."],
    ["http://127.0.0.1:9/v1/chat/completions", "Leave `/chat/completions` out, which is added to it: `http://127.0.0.1:9/v1`."],
    ["http://127.0.0.1:9/v1", "Check the `endpoint` in yoroshi.yaml, and whether the host runs."],
  ])("the endpoint %s", async (endpoint, advice) => {
    expect((await run(["fill", "log"], smallProject(notesCsv(1), { endpoint }))).err).toContain(advice);
  });

  it("a variable that is not set", async () => {
    const folder = smallProject(notesCsv(1), { endpoint: "http://127.0.0.1:9/v1", model: ", key: { env: FERRY_KEY }" });
    expect((await run(["fill", "log"], folder)).err).toContain(
      "FERRY_KEY, which is not set. Set it (`export FERRY_KEY=…`), or leave `key` out where the host needs none.",
    );
  });
});

describe("what a person looks for at first", () => {
  const twoSteps = (text: string): string => text.replace(/limits:.*\n/, '  tell:\n    set: { line: "{{ row.topic }} {{ row.level }}" }\n');

  it("chooses rows by what is filled, and asks one cell's step again alone", async () => {
    const folder = smallProject(notesCsv(12));
    edit(folder, "plans/log.yaml", twoSteps);
    await run(["fill", "log"], folder);
    const spills = readFileSync(path.join(folder, "log.filled.csv"), "utf8")
      .split("\n")
      .filter((line) => line.includes(",spill,")).length;
    expect(spills).toBeGreaterThan(0);
    expect((await run(["fill", "log", "--where", 'row.topic == "spill"', "--refill", "all", "--json"], folder)).json()).toMatchObject({
      rows: spills,
      asked: spills,
    });
    // Nothing but that one cell's step is asked, and nothing else changes.
    edit(folder, "log.csv", (text) => text.replace("Note 5:", "Note five:"));
    expect((await run(["fill", "log", "--only", "n4", "--column", "topic", "--json"], folder)).json()).toMatchObject({
      rows: 1,
      asked: 1,
      steps: { tell: { filled: 1 } },
    });
    expect((await run(["fill", "log", "--only", "n5", "--column", "line", "--json"], folder)).json()).toMatchObject({ asked: 0 });
    expect(await run(["fill", "log", "--column", "topic"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("--only KEY, --where or --sample"),
    });
    for (const option of ["--overwrite", "--column"])
      expect(await run(["fill", "log", "--only", "n1", option, "topix"], folder)).toMatchObject({
        code: 2,
        err: expect.stringContaining(`${option}: the plan log fills no column \`topix\`. Did you mean \`topic\`?`),
      });
    expect((await run(["fill", "log", "--where", "row.topik == 1"], folder)).err).toContain("Did you mean `topic`?");
  });

  it("warns of a fill into a column of the source, until the plan has filled it", async () => {
    const folder = smallProject("id,note,topic\nn0,smoke,\n");
    expect(await run(["check", "log"], folder)).toMatchObject({
      code: 0,
      out: expect.stringContaining("`topic` is a column of log.csv already. What stands in it counts as a person's and stays"),
    });
    await run(["fill", "log"], folder);
    expect((await run(["check", "log"], folder)).out).toContain("1 file checked, no mistakes.");
  });

  it("checks every file, also where one is made of the rows of another that has mistakes", async () => {
    const folder = smallProject(notesCsv(2));
    put(
      folder,
      "plans/topics.yaml",
      "yoroshi: plan/1\nname: topics\ntable: { groups: { of: log, by: topic, figures: { notes: { count: all } } }, file: topics.csv }\n",
    );
    edit(folder, "plans/log.yaml", (text) => text.replace(", key: id", ""));
    const { out, code } = await run(["check"], folder);
    expect([code, out.match(/^(right|wrong) .*$/gm)]).toEqual([2, ["right  template sort", "wrong  plan log", "wrong  plan topics"]]);
  });

  it("lists a row once, with its columns", async () => {
    const folder = smallProject(notesCsv(2));
    const { out } = await run(["status", "log", "--empty"], folder);
    expect(out.match(/^ *n0 .*$/gm)).toEqual([expect.stringMatching(/n0 +topic, level, because +_ blank +not filled yet/)]);
  });

  it("carries the column over which samples are balanced", async () => {
    const folder = smallProject(
      `id,note,boat\n${Array.from({ length: 8 }, (_, index) => `n${index},note ${index} of smoke,${index < 6 ? "Kea" : "Tui"}`).join("\n")}\n`,
    );
    await run(["samples", "draw", "log", "--rows", "4", "--balance", "boat"], folder);
    const [header, ...rows] = readFileSync(path.join(folder, "samples/sort.csv"), "utf8").trim().split("\n");
    expect(header).toBe("id,note,boat,topic,level,drawnFrom,inputsMark");
    expect(rows.map((row) => row.split(",")[2]).sort()).toEqual(["Kea", "Kea", "Tui", "Tui"]);
    // What a model answered never stands where a person's right value goes.
    await run(["fill", "log"], folder);
    await run(["samples", "draw", "log", "--rows", "2", "--balance", "topic", "--samples", "samples/other.csv"], folder);
    expect(readFileSync(path.join(folder, "samples/other.csv"), "utf8")).toMatch(/^id,note,topic,level,.*\n.*smoke,,,/);
  });

  it("labels with meanings, points, the row's context and numbers, also where a part may be null", async () => {
    const folder = smallProject(notesCsv(1));
    edit(folder, "templates/sort.yaml", (text) =>
      text
        .replace("otherwise: other }", "otherwise: other, required: false }")
        .replace("from: 1, to: 5 }", "from: 1, to: 5, scale: { 1: no harm, 5: somebody hurt } }"),
    );
    put(folder, "sort.csv", "id,boat,note,topic,level\nn0,Kea,smoke in the galley,,\n");
    const { child, done } = startWithInput(["samples", "label", "sort.csv"], folder);
    child.stdin!.end("2\n5\n");
    const { out, code } = await done;
    expect(code).toBe(0);
    for (const told of [
      "topic\n  1 fire  flames and smoke\n  2 spill  oil and water",
      "level\n  1  no harm\n  5  somebody hurt",
      "id: n0 · boat: Kea",
      "topic (1 fire, 2 spill, 3 engine, 4 other):",
    ])
      expect(out).toContain(told);
    expect(readFileSync(path.join(folder, "sort.csv"), "utf8")).toMatch(/^n0,Kea,smoke in the galley,spill,5,/m);
  });
});

describe("--json is one object, and exit 1 is for what a run could have mended", () => {
  const one = (out: string): Record<string, unknown> => {
    expect(out.trim().split("\n")).toHaveLength(1);
    return JSON.parse(out) as Record<string, unknown>;
  };

  it("of a fill that its host ended, of mistakes in options, of whatever goes wrong", async () => {
    const folder = smallProject(notesCsv(3), { endpoint: "http://127.0.0.1:9/v1", more: "", model: ", limits: { patienceSeconds: 0 }" });
    expect(one((await run(["fill", "log", "--no-probe", "--json"], folder)).out)).toMatchObject({
      error: { code: expect.stringMatching(/^model/) },
    });
    for (const args of [
      ["fill", "log", "--rows", "many"],
      ["fill", "log", "--nonsense"],
      ["fill", "nothing"],
      ["status"],
      ["fill", "log", "--where", "row.x"],
    ]) {
      expect(one((await run([...args, "--json"], folder)).out)).toMatchObject({
        error: { code: expect.any(String), message: expect.any(String) },
      });
    }
  });

  it("rows that fail however often they are read are no reason for exit 1; they are told", async () => {
    const folder = smallProject(`${notesCsv(15)}n14,the same key again\n`);
    const ran = await run(["fill", "log"], folder);
    expect(ran).toMatchObject({ code: 0, out: expect.stringMatching(/\d+ failed/) });
  });
});
