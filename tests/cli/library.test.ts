import { existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { parse } from "csv-parse/sync";
import { strFromU8, strToU8, unzipSync, zipSync } from "fflate";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { demoProject, removeTempFolders, run, smallProject, start, tempFolder } from "../helpers/cli.js";

afterAll(removeTempFolders);
let demo: string;
beforeAll(() => (demo = demoProject()));
const read = (file: string, folder = demo): string => readFileSync(path.join(folder, file), "utf8");

describe("a library of templates", () => {
  it("is searched by words and tags, and copied from", async () => {
    expect(
      (await run(["show", "--find", "MESSAGES repair", "--json"], demo))
        .json<{ templates: { name: string }[] }>()
        .templates.map(({ name }) => name),
    ).toEqual(["repair-state"]);
    expect((await run(["show", "--tag", "Summary"], demo)).out).toMatch(/^ +name +title +tags\n.*\n +one-line .*\n$/);
    expect((await run(["show", "--find", "zebra"], demo)).out).toBe("No template has all of that.\n");
    await run(["new", "one-line-b", "--copy", "one-line"], demo);
    expect(read("templates/one-line-b.yaml")).toBe(read("templates/one-line.yaml").replace("name: one-line", "name: one-line-b"));
    expect(await run(["new", "one-line-b", "--copy", "one-line"], demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining("templates/one-line-b.yaml exists. Choose another name."),
    });
  });

  it("keeps its versions: one is restored, and today's text is not lost", async () => {
    const folder = demoProject();
    const file = "templates/one-line.yaml";
    const first = read(file, folder);
    await run(["versions", "one-line"], folder);
    writeFileSync(path.join(folder, file), first.replace("Sum up", "Shorten"));
    expect((await run(["versions", "one-line", "--restore", "1"], folder)).out).toContain("is version 1 again");
    expect(read(file, folder)).toBe(first);
    expect((await run(["versions", "one-line", "--diff", "2"], folder)).out).toMatch(/^- .*Sum up.*\n\+ .*Shorten/m);
    expect(await run(["versions", "one-line", "--restore", "7"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("There are: 1, 2."),
    });
  });

  it("is packed with all that it reads, and checked on arrival; nothing is overwritten without being named", async () => {
    const bundle = path.join(tempFolder(), "b.zip");
    const packed = (await run(["pack", bundle, "repair-state", "act-or-not", "--json"], demo)).json<{ files: string[] }>().files;
    expect(packed).toEqual([
      "passages/house.md",
      "reference/rates.csv",
      "samples/follow-up.csv",
      "templates/act-or-not.yaml",
      "templates/repair-state.yaml",
    ]);
    expect(await run(["pack", bundle], demo)).toMatchObject({ code: 2 });
    const other = smallProject("id,note\na,x\n");
    expect((await run(["unpack", bundle, "--json"], other)).json<{ files: { state: string }[] }>().files.map(({ state }) => state)).toEqual(
      Array(5).fill("written"),
    );
    expect((await run(["check", "repair-state"], other)).code).toBe(0);
    writeFileSync(path.join(other, "passages/house.md"), "Mine.\n{{ report }}");
    rmSync(path.join(other, "reference/rates.csv"));
    const refused = await run(["unpack", bundle], other);
    expect(refused).toMatchObject({ code: 1, out: expect.stringMatching(/^conflict +passages\/house\.md\nNothing was written/) });
    expect(existsSync(path.join(other, "reference/rates.csv"))).toBe(false);
    expect((await run(["unpack", bundle, "--overwrite", "passages/house.md"], other)).code).toBe(0);
    expect([read("passages/house.md", other), existsSync(path.join(other, "reference/rates.csv"))]).toEqual([
      read("passages/house.md"),
      true,
    ]);
  });

  it.each<[string, (entries: Record<string, Uint8Array>) => void, string]>([
    [
      "a changed file",
      (entries) => (entries["reference/hazards.csv"] = strToU8("hazard\nfire\n")),
      "`reference/hazards.csv` is not what the manifest says",
    ],
    ["a missing file", (entries) => delete entries["reference/hazards.csv"], "is in the manifest, but missing"],
    ["no manifest", (entries) => delete entries["manifest.json"], "it has no manifest.json"],
    [
      "another format",
      (entries) => (entries["manifest.json"] = strToU8(strFromU8(entries["manifest.json"]!).replace("bundle/1", "bundle/9"))),
      "its manifest is not that of a bundle/1",
    ],
    [
      "a path that leads out",
      (entries) =>
        (entries["manifest.json"] = strToU8(strFromU8(entries["manifest.json"]!).replace("reference/hazards.csv", "../hazards.csv"))),
      "which is not a plain path in a project",
    ],
    [
      "a path into hidden files",
      (entries) =>
        (entries["manifest.json"] = strToU8(
          strFromU8(entries["manifest.json"]!).replace("reference/hazards.csv", ".yoroshi/ledger.sqlite"),
        )),
      "which is not a plain path in a project",
    ],
  ])("a bundle with %s is refused whole", async (_, spoil, message) => {
    const bundle = path.join(tempFolder(), "b.zip");
    await run(["pack", bundle, "hazard-triage"], demo);
    const entries = unzipSync(readFileSync(bundle));
    spoil(entries);
    writeFileSync(bundle, zipSync(entries));
    const other = smallProject("id,note\na,x\n");
    expect(await run(["unpack", bundle], other)).toMatchObject({ code: 2, err: expect.stringContaining(message) });
    expect(existsSync(path.join(other, "templates/hazard-triage.yaml"))).toBe(false);
  });

  it("a file that is no ZIP, or holds a broken template, is told so", async () => {
    const bundle = path.join(tempFolder(), "b.zip");
    writeFileSync(bundle, "PK not really");
    expect((await run(["unpack", bundle], demo)).err).toContain("it is not a ZIP file, or it is damaged. Nothing was written.");
    expect((await run(["unpack", path.join(tempFolder(), "none.zip")], demo)).err).toContain("there is no such file");
  });
});

describe("a draft from a description", () => {
  const describe_ = [
    "--describe",
    "Sort each report into mooring, machinery or galley. Score how urgent it is from 1 to 5.",
    "--table",
    "deck-log.csv",
  ];

  it("is shown first, written on demand without asking again, and works", async () => {
    const shown = await run(["new", "urgent", ...describe_, "--json"], demo);
    expect(shown.json()).toMatchObject({ written: false, state: "answered", complaints: [] });
    expect(existsSync(path.join(demo, "templates/urgent.yaml"))).toBe(false);
    const written = await run(["new", "urgent", ...describe_, "--write"], demo);
    expect(written.out).toMatch(/written +templates\/urgent\.yaml/);
    expect(read("templates/urgent.yaml")).toBe(shown.json<{ text: string }>().text);
    expect(read("templates/urgent.yaml")).toMatch(/kind: choice\n.*\n +options:\n +- mooring\n +- machinery\n +- galley/);
    expect((await run(["check", "urgent"], demo)).code).toBe(0);
    expect((await run(["try", "urgent", "--json"], demo)).json()).toMatchObject({ state: "answered" });
  });

  it("says what is missing in the command", async () => {
    expect((await run(["new", "x", "--describe", "a"], demo)).err).toContain("--table: name the table");
    expect((await run(["new", "x", "--describe", "a", "--table", "none.csv"], demo)).code).toBe(2);
    expect((await run(["new", "x", "--from", "tone", "--copy", "one-line"], demo)).err).toContain("say where to begin");
  });
});

it("types are written, left as they are, and kept up to date while somebody edits", async () => {
  const folder = smallProject("id,note\na,x\n");
  const file = path.join(folder, "yoroshi-templates.d.ts");
  const { child, done } = start(["types", "--watch"], folder);
  const until = async (text: string, touch?: () => void): Promise<void> => {
    for (let tries = 0; tries < 1_200 && !(existsSync(file) && readFileSync(file, "utf8").includes(text)); tries++) {
      // Until it is seen: the watch may not have begun yet.
      if (tries % 40 === 0) touch?.();
      await sleep(50);
    }
    expect(readFileSync(file, "utf8")).toContain(text);
  };
  await until("inputs: { note: string };");
  const template = path.join(folder, "templates/sort.yaml");
  const changed = readFileSync(template, "utf8").replace("answer:", "answer:\n  more: { kind: yesNo, required: false }");
  await until("more: boolean | null", () => writeFileSync(template, changed));
  child.kill("SIGINT");
  expect((await done).code).toBe(0);
  expect((await run(["types"], folder)).out).toMatch(/^unchanged/);
  writeFileSync(template, "yoroshi: template/1\n");
  expect((await run(["types"], folder)).out).toContain("sort has mistakes: `yoroshi check sort`");
});

describe("what a template can do beyond one request", () => {
  it("related rows, money and days in words end up in columns; a changed message renews its row only", async () => {
    const folder = demoProject();
    expect((await run(["fill", "repairs", "--json"], folder)).json()).toMatchObject({ asked: 24, filled: 24, skipped: 224 });
    const rows = read("deck-log.filled.csv", folder).split(/\r?\n/);
    expect(rows.find((row) => row.startsWith("R-079"))).toMatch(/,ordered,2026-09-14,2016\.5$/);
    writeFileSync(
      path.join(folder, "messages.csv"),
      `${read("messages.csv", folder)}M-900,R-079,2026-09-16T10:00,yard,Roller is fitted. Done.\r\n`,
    );
    expect((await run(["fill", "repairs", "--json"], folder)).json()).toMatchObject({ asked: 1, reused: 23 });
    writeFileSync(path.join(folder, "messages.csv"), "messageId,report\r\n");
    expect(await run(["fill", "repairs"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("messages.csv, row 1: there is no column `reportId`, which the plan's related rows need"),
    });
  });

  it("rules, agreement, a dearer model and a second look, all counted", async () => {
    const folder = demoProject();
    const report = (await run(["fill", "second-opinion", "--json", "--rows", "60"], folder)).json<{
      ruled: number;
      asked: number;
      spent: number;
    }>();
    expect(report).toMatchObject({ asked: 60 });
    const status = await run(["status", "second-opinion"], folder);
    expect(status.out).toMatch(/settled by rule 1/);
    expect(status.out).toMatch(/in doubt, so careful was asked/);
    expect(status.out).toMatch(/\n +standin-large +\d+/);
    const explained = await run(["status", "second-opinion", "--cell", "R-002"], folder);
    expect(explained.out).toMatch(/state +filled\n/);
    expect(explained.out).toMatch(/answered by +standin-small, template sure-hazard version 1/);
    expect(explained.out).toMatch(/cost +0\.\d+ USD, [45] requests/);
    expect(explained.out).toMatch(/confidence +\d\.\d\d by agreement/);
    expect(explained.out).toMatch(/Prompt {2}to which this is the answer[\s\S]+<data-[a-z]{10} name="report">[\s\S]+Reply\n {2}│ \{"why"/);
    expect((await run(["status", "second-opinion", "--cell", "R-023"], folder)).out).toMatch(/note +settled by rule 1/);
    expect(await run(["status", "second-opinion", "--cell", "R-999"], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("deck-log.csv has no row with the key `R-999`"),
    });
    const table = path.join(folder, "deck-log.filled.csv");
    writeFileSync(table, readFileSync(table, "utf8").replace(/(R-002,.*),[a-z-]+,([\d.]+)(\r?\n)/, "$1,by hand,$2$3"));
    expect((await run(["status", "second-opinion", "--cell", "R-002", "--json"], folder)).json()).toMatchObject({
      key: "R-002",
      steps: [{ same: true, record: { edited: { sureHazard: "by hand" } }, answer: { version: 1 } }],
    });
    const tried = await run(["try", "second-opinion", "--row", "R-002"], folder);
    expect(tried.out).toMatch(/Requests {2}[45]\n/);
    expect(tried.out).toMatch(/second look +standin-small/);
    expect(tried.out).toMatch(/confidence +\d+\.\d % by agreement of several asks/);
    const trial = await run(["trial", "act-or-not", "--samples", "samples/follow-up.csv"], folder);
    expect(trial.out).toContain("6 rows of the file are examples in the template and not graded.");
    expect((await run(["trial", "sure-hazard", "--samples", "samples/hazard-triage.csv"], folder)).out).toContain(
      "What the second look did",
    );
  }, 300_000);
});

it("the ledger is brought out as JSON Lines and CSV, and forgets only what no cell rests on", async () => {
  const folder = smallProject('id,note\na,smoke\nb,"oil, on\nthe water"\n');
  await run(["fill", "log"], folder);
  await run(["try", "sort", "--input", "note=only tried"], folder);
  expect((await run(["ledger", "export", "all.jsonl", "--json"], folder)).json()).toMatchObject({ what: "answers", count: 3 });
  const lines = readFileSync(path.join(folder, "all.jsonl"), "utf8")
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line) as { answer: { state: string; spent: number } });
  expect(lines.every(({ answer }) => answer.state === "answered" && answer.spent > 0)).toBe(true);
  expect((await run(["ledger", "export", "cells.csv", "--cells"], folder)).out).toContain("2 rows' cells");
  expect(readFileSync(path.join(folder, "cells.csv"), "utf8")).toMatch(/^plan,step,key,state,.*\nlog,\w+,a,filled,/);
  expect(await run(["ledger", "export", "cells.csv"], folder)).toMatchObject({
    code: 2,
    err: expect.stringContaining("this file exists. Choose another name."),
  });
  expect(await run(["ledger", "export", "all.txt"], folder)).toMatchObject({ code: 2 });
  expect((await run(["ledger", "prune", "--older-than", "1", "--json"], folder)).json()).toEqual({ forgotten: 0 });
  expect((await run(["ledger", "prune", "--older-than", "0", "--json"], folder)).json()).toEqual({ forgotten: 1 });
  expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 0, filled: 2 });
});

it("a table in JSON Lines is filled like the same table in CSV", async () => {
  const folder = demoProject();
  expect((await run(["fill", "triage", "--rows", "40", "--json"], folder)).json()).toMatchObject({ asked: 40 });
  const wanted = parse(readFileSync(path.join(folder, "deck-log.filled.csv")), { columns: true, bom: true }) as Record<string, string>[];
  const source = parse(readFileSync(path.join(folder, "deck-log.csv")), { columns: true, bom: true }) as Record<string, string>[];
  writeFileSync(path.join(folder, "deck-log.jsonl"), source.map((row) => `${JSON.stringify(row)}\n`).join(""));
  const plan = path.join(folder, "plans/triage.yaml");
  writeFileSync(plan, readFileSync(plan, "utf8").replace("deck-log.csv", "deck-log.jsonl"));
  expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ rows: 248, filled: 242, skipped: 6 });
  const filled = readFileSync(path.join(folder, "deck-log.filled.jsonl"), "utf8")
    .trim()
    .split("\n")
    .map((line) => JSON.parse(line) as Record<string, string | number>);
  for (const [index, row] of wanted.entries())
    if (row["hazard"])
      expect(filled[index]).toMatchObject({ reportId: row["reportId"], hazard: row["hazard"], severity: Number(row["severity"]) });
  expect((await run(["fill", "triage", "--json"], folder)).json()).toMatchObject({ asked: 0, written: false });
});

it("fill --where takes the rows for which a condition holds, and refuses one that would quietly take none", async () => {
  const folder = demoProject();
  expect(
    (await run(["fill", "triage", "--where", 'row.vessel == "MV Tern" && row.loggedOn.startsWith("2026-08")', "--json"], folder)).json(),
  ).toMatchObject({ rows: 12 });
  expect(
    (await run(["fill", "triage", "--dry-run", "--where", 'row.vessel == "MV Tern"', "--json"], folder)).json<{ rows: number }>().rows,
  ).toBeGreaterThan(12);
  expect(await run(["fill", "triage", "--where", 'row.vesel == "MV Tern"'], folder)).toMatchObject({
    code: 2,
    err: expect.stringContaining("--where: deck-log.csv has no column `vesel`. Did you mean `vessel`?"),
  });
  expect((await run(["fill", "triage", "--where", "row.vessel ="], folder)).err).toContain("--where: this condition cannot be read as CEL");
});
