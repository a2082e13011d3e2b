import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { parse } from "csv-parse/sync";
import { demoProject, notesCsv, removeTempFolders, run, smallProject, tempFolder } from "../helpers/cli.js";

afterAll(removeTempFolders);
const rowsOf = (folder: string, file = "log.filled.csv"): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, file)), { columns: true, bom: true });

describe("the demo", () => {
  it("takes the made-up project through the order of work, and the second version is clearly better", async () => {
    const folder = path.join(tempFolder(), "marrowby");
    const first = await run(["demo", folder], tempFolder());
    expect(first.code).toBe(0);
    expect(first.out).toMatch(/hazard: version 2 is better: \+\d\d\.\d points/);
    expect(first.out).toMatch(/Plan triage {2}248 rows of deck-log\.csv/);
    expect(first.err).toContain("offline stand-in, not by a language model");
    const [row] = rowsOf(folder, "deck-log.filled.csv");
    for (const column of ["hazard", "severity", "severityWhy", "summary", "needsAction", "nextSteps"]) expect(row).toHaveProperty(column);
    const again = await run(["demo", folder, "--json"], tempFolder());
    expect(again.json<{ fills: { asked: number; filled: number }[] }>().fills.map(({ asked }) => asked)).toEqual([0, 0, 0]);
    expect((await run(["demo", tempFolder()], tempFolder())).code).toBe(2);
  }, 600_000);
});

describe("reading and showing", () => {
  let demo: string;
  beforeAll(() => (demo = demoProject()));

  it("check says what is right, and every mistake with its place", async () => {
    expect(await run(["check"], demo)).toMatchObject({ code: 0, out: expect.stringContaining("32 files checked, no mistakes.") });
    const other = demoProject();
    const file = path.join(other, "templates", "one-line.yaml");
    writeFileSync(file, readFileSync(file, "utf8").replace("maxSentences", "maxSentence").replace("{{ vessel }}", "{{ ship }}"));
    const plan = path.join(other, "plans", "triage.yaml");
    writeFileSync(
      plan,
      readFileSync(plan, "utf8").replace("report: report", "report: raport").replace("hazard: hazard", "hazard: hazzard"),
    );
    const checked = await run(["check"], other);
    expect(checked.code).toBe(2);
    expect(checked.out).toContain("templates/one-line.yaml:13:48  There is no key `maxSentence` here. Did you mean `maxSentences`?");
    expect(checked.out).toContain("plans/triage.yaml:8:23  deck-log.csv has no column `raport`. Did you mean `report`?");
    expect(checked.out).toContain("plans/triage.yaml:9:23  The answer has no part `hazzard`. Did you mean `hazard`?");
    expect((await run(["check", "triage", "--json"], other)).json<{ mistakes: number }>().mistakes).toBe(2);
  });

  it("show lists, and shows a plan and a template with its exact prompt", async () => {
    expect((await run(["show"], demo)).out).toMatch(/hazard-triage +Triage a deck report +safety, classification/);
    expect((await run(["show", "actions"], demo)).out).toMatch(/needsAction +needsAction/);
    const shown = await run(["show", "hazard-triage"], demo);
    expect(shown.out).toMatch(/<data-([a-z]{10}) name="report">Line parted at the aft bitts, nobody hurt\.<\/data-\1>/);
    expect(shown.out).toContain('"fire": Fire, flames, smoke');
    expect((await run(["show", "hazard-triage", "--json"], demo)).json<{ schema: { required: string[] } }>().schema.required).toEqual([
      "why",
      "hazard",
      "severity",
    ]);
    expect(await run(["show", "hazard-triag"], demo)).toMatchObject({
      code: 2,
      err: "error: There is no template `hazard-triag`. Did you mean `hazard-triage`?\n",
    });
  });

  it("try asks about one row, and knows it the second time", async () => {
    const first = await run(["try", "triage", "--row", "R-002"], demo);
    expect(first).toMatchObject({ code: 0, out: expect.stringMatching(/hazard +choice +mooring/) });
    expect(first.out).toContain("tokens in");
    expect((await run(["try", "triage", "--row", "R-002", "--json"], demo)).json()).toMatchObject({
      known: true,
      standin: true,
      state: "answered",
      parts: { hazard: "mooring" },
    });
    expect((await run(["try", "triage", "--row", "R-002", "--fresh", "--json"], demo)).json()).toMatchObject({ known: false });
    expect(await run(["try", "hazard-triage", "--input", "report=Smoke and flames in the galley"], demo)).toMatchObject({
      code: 0,
      out: expect.stringMatching(/hazard +choice +fire/),
    });
    expect(await run(["try", "hazard-triage", "--input", "report= "], demo)).toMatchObject({
      code: 1,
      out: "Not asked: the crew wrote nothing.\n",
    });
    expect(await run(["try", "hazard-triage", "--input", "raport=x"], demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining("no input `raport`"),
    });
    expect(await run(["try", "triage", "--row", "R-999"], demo)).toMatchObject({
      code: 2,
      err: "error: deck-log.csv has no row with the key `R-999`.\n",
    });
  });

  it("versions numbers a template's contents and tells what changed", async () => {
    const file = path.join(demo, "templates", "hazard-triage.yaml");
    const now = readFileSync(file, "utf8");
    writeFileSync(file, readFileSync(path.join(demo, "drafts", "hazard-triage.first.yaml")));
    const first = await run(["trial", "hazard-triage", "--json"], demo);
    writeFileSync(file, `# a comment changes nothing\n${now}`);
    const second = await run(["trial", "hazard-triage", "--json"], demo);
    const [before, after] = [first, second].map((ran) =>
      ran.json<{
        version: number;
        parts: { part: string; accuracy: number; graded: number; interval: { low: number; high: number } }[];
        contest: { against: { parts: { beyondChance: boolean; difference: number }[] }[] };
      }>(),
    );
    expect(after!.version).not.toBe(before!.version);
    expect(after!.parts[0]!.accuracy - before!.parts[0]!.accuracy).toBeGreaterThan(0.2);
    expect(after!.parts[0]).toMatchObject({ part: "hazard", graded: 97 });
    expect(after!.parts[0]!.interval.low).toBeLessThan(after!.parts[0]!.accuracy);
    expect(after!.contest.against[0]!.parts[0]).toMatchObject({ beyondChance: true });
    const listed = await run(["versions", "hazard-triage"], demo);
    expect(listed.out).toMatch(/references, role, task, answer/);
    expect((await run(["versions", "hazard-triage", "--json"], demo)).json<{ versions: unknown[] }>().versions).toHaveLength(2);
    expect((await run(["versions", "hazard-triage", "--diff", String(after!.version)], demo)).out).toMatch(
      /^\+ role: You are a marine safety officer/m,
    );
    const old = await run(["trial", "hazard-triage", "--template-version", String(before!.version), "--json"], demo);
    expect(old.json()).toMatchObject({ version: before!.version, asked: 0 });
    expect((await run(["trial", "hazard-triage"], demo)).out).toMatch(/hazard +\d+ of 97 +\d\d\.\d % +\d\d\.\d % to \d\d\.\d %/);
    expect(await run(["trial", "report-details"], demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining("there is no samples/report-details.csv"),
    });
  });
});

describe("fill", () => {
  it("ends with one JSON object, fills, asks nothing twice, and keeps what a person edited", async () => {
    const folder = smallProject(notesCsv(60));
    const first = await run(["fill", "log", "--json"], folder);
    expect(first.out.trim().split("\n")).toHaveLength(1);
    expect(first.json()).toMatchObject({
      plan: "log",
      rows: 60,
      asked: 60,
      reused: 0,
      filled: 60,
      skipped: 0,
      held: 0,
      failed: 0,
      end: "done",
      written: true,
    });
    for (const key of ["tokensIn", "tokensOut", "spent", "tookMs"]) expect(first.json<Record<string, number>>()[key]).toBeGreaterThan(0);
    const file = path.join(folder, "log.filled.csv");
    writeFileSync(
      file,
      readFileSync(file, "utf8")
        .replace(/^(n7,.*),engine,/m, "$1,MINE,")
        .replace(/^(n4,.*),fire,/m, "$1,MINE,"),
    );
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 0, newEdits: 1, filled: 60 });
    expect(rowsOf(folder)[4]).toMatchObject({ topic: "MINE" });
    expect((await run(["fill", "log", "--refill", "all", "--json"], folder)).json()).toMatchObject({ asked: 60 });
    expect(rowsOf(folder)[4]).toMatchObject({ topic: "MINE" });
    const status = await run(["status", "log"], folder);
    expect(status.out).toMatch(/topic +59 +1/);
    rmSync(file);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 0, written: true });
    expect(rowsOf(folder)[4]).toMatchObject({ topic: "MINE" });
  });

  it("previews, limits rows, chooses rows, and says why cells are empty", async () => {
    const folder = smallProject(`${notesCsv(9)}n9,\nn10,${"x".repeat(2001)}\n`);
    const dry = await run(["fill", "log", "--dry-run", "--json"], folder);
    expect(dry.json()).toMatchObject({ dryRun: true, rows: 11, asked: 9, skipped: 1, failed: 1 });
    expect(dry.json<{ cost: number }>().cost).toBeGreaterThan(0);
    expect((await run(["fill", "log", "--dry-run"], folder)).out).toMatch(/to ask +9 rows/);
    expect(existsSync(path.join(folder, "log.filled.csv"))).toBe(false);
    expect((await run(["fill", "log", "--rows", "4", "--json"], folder)).json()).toMatchObject({ asked: 4, blank: 5, end: "rowLimit" });
    expect((await run(["fill", "log", "--only", "n8", "--json"], folder)).json()).toMatchObject({ rows: 1, asked: 1 });
    expect(await run(["fill", "log", "--only", "n99"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("no row with the key `n99`"),
    });
    const done = await run(["fill", "log", "--json"], folder);
    expect(done.code).toBe(0);
    expect(done.json()).toMatchObject({ asked: 4, reused: 5, filled: 9, skipped: 1, failed: 1 });
    const status = await run(["status", "log", "--empty", "--json"], folder);
    const empty = status.json<{ empty: { key: string; column: string; reason: string }[] }>().empty;
    const filled = rowsOf(folder);
    for (const row of filled)
      for (const column of ["topic", "level", "because"])
        expect(row[column] === "").toBe(empty.some((cell) => cell.key === row["id"] && cell.column === column && cell.reason !== ""));
    expect((await run(["status", "log", "--empty"], folder)).out).toMatch(
      /n10 +topic, level, because +× failed +note has 2,001 characters, at most 2,000 are allowed/,
    );
  });

  it("fills in place after a backup", async () => {
    const folder = smallProject(notesCsv(3));
    expect((await run(["fill", "log", "--in-place", "--json"], folder)).json()).toMatchObject({ target: "log.csv", filled: 3 });
    expect(rowsOf(folder, "log.csv")[0]).toMatchObject({ topic: "fire" });
    expect(readFileSync(path.join(folder, "log.csv.backup"), "utf8")).toBe(notesCsv(3));
    expect((await run(["fill", "log", "--in-place", "--json"], folder)).json()).toMatchObject({ asked: 0, written: false, newEdits: 0 });
  });

  it("keeps cells that look like formulas from running, in both directions", async () => {
    const folder = smallProject('id,note\na,"=1+1 smoke"\nb,"+smoke"\nc,"-smoke"\nd,"@smoke"\n');
    await run(["fill", "log"], folder);
    for (const row of rowsOf(folder)) {
      expect(row["because"]).toBe(`'${row["note"]}`);
      expect(row["note"]).toMatch(/^[=+\-@]/);
    }
  });

  it.each<[string, (folder: string) => void, number, RegExp]>([
    ["a table that is not there", (f) => rmSync(path.join(f, "log.csv")), 2, /log\.csv cannot be read: there is no such file\./],
    [
      "a column the table lacks",
      (f) => writeFileSync(path.join(f, "log.csv"), "id,notes\na,x\n"),
      2,
      /plans\/log\.yaml:7:21 {2}log\.csv has no column `note`\. Did you mean `notes`\?/,
    ],
    ["an empty table", (f) => writeFileSync(path.join(f, "log.csv"), ""), 2, /log\.csv, row 1: the file is empty/],
    [
      "broken quoting",
      (f) => writeFileSync(path.join(f, "log.csv"), 'id,note\na,fine\nb,"x\n'),
      2,
      /log\.csv, row 3: a quoted cell is opened and never closed/,
    ],
    [
      "a broken template",
      (f) => writeFileSync(path.join(f, "templates/sort.yaml"), "yoroshi: template/1\nname: [\n"),
      2,
      /templates\/sort\.yaml:\d+:\d+ {2}This is not valid YAML/,
    ],
    [
      "a key in the project file",
      (f) => writeFileSync(path.join(f, "yoroshi.yaml"), "yoroshi: project/1\nmodels: { quick: { endpoint: standin, key: abc123 } }\n"),
      2,
      /yoroshi\.yaml:2:44 {2}A key does not belong in a file/,
    ],
    [
      "a key that is not set",
      (f) =>
        writeFileSync(
          path.join(f, "yoroshi.yaml"),
          "yoroshi: project/1\nmodels: { quick: { endpoint: standin, key: { env: YOROSHI_NOT_SET } } }\n",
        ),
      2,
      /environment variable YOROSHI_NOT_SET, which is not set/,
    ],
    [
      "a damaged ledger",
      (f) => {
        mkdirSync(path.join(f, ".yoroshi"));
        writeFileSync(path.join(f, ".yoroshi/ledger.sqlite"), "no database ".repeat(400));
      },
      3,
      /ledger\.sqlite cannot be used: it is damaged/,
    ],
    [
      "a path out of the project",
      (f) =>
        writeFileSync(
          path.join(f, "plans/log.yaml"),
          readFileSync(path.join(f, "plans/log.yaml"), "utf8").replace("file: log.csv", "file: ../log.csv"),
        ),
      2,
      /leads out of the project/,
    ],
  ])("says in words what is wrong with %s, without a stack trace", async (_, spoil, code, message) => {
    const folder = smallProject("id,note\na,smoke\n");
    spoil(folder);
    const ran = await run(["fill", "log"], folder);
    expect([ran.code, ran.err]).toEqual([code, expect.stringMatching(message)]);
    expect(ran.err + ran.out).not.toMatch(/\n\s+at |abc123/);
  });

  it("says where there is no project, and what is wrong with an option", async () => {
    expect(await run(["fill", "x"], tempFolder())).toMatchObject({ code: 2, err: expect.stringContaining("There is no yoroshi.yaml in") });
    const folder = smallProject("id,note\na,x\n");
    expect(await run(["fill", "log", "--rows", "many"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("`many` is not a whole number"),
    });
    expect((await run(["fill", "log", "--refil", "all"], folder)).code).toBe(2);
    expect((await run(["fil"], folder)).err).toContain("Did you mean fill?");
    expect((await run(["fill", "lag", "--json"], folder)).json()).toEqual({
      error: { code: "notFound", message: "There is no plan `lag`. Did you mean `log`?" },
    });
  });
});
