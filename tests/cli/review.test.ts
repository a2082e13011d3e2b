import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { parse } from "csv-parse/sync";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { demoProject, removeTempFolders, run, start, startWithInput, type Ran } from "../helpers/cli.js";
import { python, PYTHON } from "../helpers/other-programs.js";
import { atTerminal, HAS_TERMINAL } from "../helpers/terminal.js";

afterAll(removeTempFolders);

const said = (folder: string, args: readonly string[], lines: readonly string[]): Promise<Ran> => {
  const { child, done } = startWithInput(args, folder);
  child.stdin!.end(`${lines.join("\n")}\n`);
  return done;
};
const filled = (folder: string): Record<string, string>[] =>
  parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true, bom: true });
const cell = (folder: string, key: string, column: string): string => filled(folder).find((row) => row["reportId"] === key)![column]!;

interface Waiting {
  rows: { key: string; values: { column: string; value: string | number }[] }[];
  held: Record<string, { person: number; check: number }>;
}

describe("yoroshi review on the demo", () => {
  let folder: string;
  let waiting: Waiting;
  beforeAll(async () => {
    folder = demoProject();
    expect((await run(["fill", "reviewed"], folder)).code).toBe(0);
    waiting = (await run(["review", "reviewed", "--json", "--rows", "1000"], folder)).json<Waiting>();
  }, 60_000);

  it("holds the grave reports, and says why in status", async () => {
    expect(waiting.rows.length).toBe(waiting.held["triage"]!.person);
    expect(waiting.rows.every(({ values }) => Number(values.find(({ column }) => column === "safeSeverity")!.value) >= 4)).toBe(true);
    expect(filled(folder).every((row) => row["safeHazard"] === "")).toBe(true);
    const status = await run(["status", "reviewed"], folder);
    expect(status.out).toMatch(/held for a decision: grave/);
  });

  it("takes decisions a line each, shows the row beside the values, and writes the table at the end", async () => {
    const [first, second, third, fourth] = waiting.rows;
    const ran = await said(folder, ["review", "reviewed", "--as", "ada"], ["a", "e", "", "2", "r", "no report", "s", "u", "q"]);
    expect(ran.out).toContain(first!.key);
    expect(ran.out).toMatch(/│ safeHazard/);
    expect(cell(folder, first!.key, "safeSeverity")).toBe(String(first!.values[1]!.value));
    expect(cell(folder, second!.key, "safeSeverity")).toBe("2");
    // The last one was taken back, so it waits still.
    const left = (await run(["review", "reviewed", "--json", "--rows", "1000"], folder)).json<Waiting>();
    expect(left.rows.map(({ key }) => key)).not.toContain(second!.key);
    expect(left.rows[0]!.key).toBe(third!.key);
    expect(fourth).toBeDefined();
    const explained = await run(["status", "reviewed", "--cell", second!.key], folder);
    expect(explained.out).toMatch(/ada\s+safeSeverity\s+edit 2/);
  });

  it("decides by options, refuses what does not fit, and takes back by key", async () => {
    const key = waiting.rows[5]!.key;
    const bad = await run(["review", "reviewed", "--only", key, "--edit", "safeSeverity=9", "--json"], folder);
    expect([bad.code, bad.json<{ error: { code: string } }>().error.code]).toEqual([2, "decisionUnfit"]);
    const only = await run(["review", "reviewed", "--only", key, "--edit", "safeSeverity=1", "--accept", "--as", "bo"], folder);
    expect([only.code, cell(folder, key, "safeSeverity")]).toEqual([0, "1"]);
    expect((await run(["review", "reviewed", "--only", key, "--accept"], folder)).code).toBe(2);
    expect((await run(["review", "reviewed", "--undo", key], folder)).out).toContain(`taken back  ${key}`);
    expect(cell(folder, key, "safeSeverity")).toBe("");
    expect((await run(["review", "reviewed", "--undo", "nobody", "--json"], folder)).json<{ error: { code: string } }>().error.code).toBe(
      "notFound",
    );
  });

  it.skipIf(!PYTHON)("goes into a workbook with drop-downs and comes back, whatever was written there", async () => {
    const before = (await run(["review", "reviewed", "--json", "--rows", "1000"], folder)).json<Waiting>().rows.map(({ key }) => key);
    const book = path.join(folder, "held.xlsx");
    expect((await run(["review", "reviewed", "--out", "held.xlsx"], folder)).out).toContain(`${before.length} rows`);
    const seen = python(
      `import openpyxl, sys, json
b = openpyxl.load_workbook(sys.argv[1]); s = b["review"]; h = [c.value for c in s[1]]
lists = {str(v.sqref): v.formula1 for v in s.data_validations.dataValidation}
at = lambda name: h.index(name) + 1
put = lambda row, name, value: setattr(s.cell(row, at(name)), "value", value)
put(2, "decision", "accept"); put(3, "safeSeverity, instead", "2"); put(3, "decision", "accept")
put(4, "decision", "reject"); put(4, "reason", "a notice"); put(5, "decision", "perhaps"); put(6, "safeHazard, instead", "volcano")
put(7, "decision", "ask again"); put(7, "reason", "it was worse")
put(8, "key", "R-999"); put(8, "decision", "accept")
for c in range(1, len(h) + 1): s.cell(s.max_row + (1 if c == 1 else 0), c).value = s.cell(9, c).value
put(9, "decision", "accept"); put(s.max_row, "decision", "accept")
b.save(sys.argv[1].replace("held", "back"))
print(json.dumps([lists, s.freeze_panes]))`,
      book,
    );
    expect(JSON.parse(seen)).toEqual([expect.objectContaining({}), "A2"]);
    expect(Object.keys((JSON.parse(seen) as [Record<string, string>])[0])).toHaveLength(2);
    const back = await run(["review", "reviewed", "--in", "back.xlsx", "--as", "cy", "--json"], folder);
    expect(back.code).toBe(1);
    const report = back.json<{ decided: number; movedOn: string[]; problems: { key: string; problem: string }[] }>();
    expect(report.decided).toBe(4);
    expect(report.movedOn).toEqual([]);
    expect(report.problems.map(({ problem }) => problem)).toEqual([
      expect.stringContaining("`perhaps` is no decision"),
      expect.stringContaining("safeHazard"),
      "no row with this key has been answered; keys stay as they were written",
      expect.stringContaining("more than once"),
      expect.stringContaining("more than once"),
    ]);
    expect(cell(folder, before[1]!, "safeSeverity")).toBe("2");
    expect(cell(folder, before[2]!, "safeHazard")).toBe("");
    const again = (await run(["review", "reviewed", "--in", "back.xlsx", "--json"], folder)).json<{ decided: number; movedOn: string[] }>();
    expect([again.decided, again.movedOn.length]).toEqual([0, 4]);
    // Asked again at the next fill, and held anew.
    expect((await run(["fill", "reviewed"], folder)).out).toMatch(/1 row asked/);
  });

  it("checks cells at random, blind, and tells how many of all are wrong", async () => {
    const open = (await run(["review", "reviewed", "--check", "--json"], folder)).json<{ left: number; population: number }>();
    expect(open.left).toBe(40);
    const ran = await said(
      folder,
      ["review", "reviewed", "--check", "--rows", "6", "--as", "ada"],
      ["3", "2", "fire", "1", "s", "11", "9", "3", "q"],
    );
    expect(ran.out).toMatch(/the model said/);
    expect(ran.out).toMatch(/safeHazard\s+2\s+\d\s+/);
    const figures = (await run(["review", "reviewed", "--figures", "--json"], folder)).json<{
      checks: {
        population: number;
        columns: { column: string; checked: number; bounds: { low: number; high: number }; release?: { more: number } }[];
      }[];
      people: { reviewers: { by: string }[] };
    }>();
    const [column] = figures.checks[0]!.columns;
    expect(column).toMatchObject({ column: "safeHazard", checked: 2 });
    expect(column!.bounds.high).toBeLessThanOrEqual(open.population);
    expect(column!.release!.more).toBeGreaterThan(2);
    expect(figures.people.reviewers.map(({ by }) => by)).toContain("reviewer 1");
    expect((await run(["review", "reviewed", "--figures", "--names"], folder)).out).toContain("ada");
  });

  it("puts decisions into the samples, and brings them out without names unless asked for", async () => {
    const kept = await run(["review", "reviewed", "--samples", "samples/new.csv", "--json"], folder);
    expect(kept.json<{ added: number }>().added).toBeGreaterThan(2);
    expect(readFileSync(path.join(folder, "samples/new.csv"), "utf8")).toMatch(/review of plan reviewed/);
    expect((await run(["ledger", "export", "d.csv", "--decisions"], folder)).out).toMatch(/decisions/);
    expect(readFileSync(path.join(folder, "d.csv"), "utf8")).not.toMatch(/\b(ada|bo|cy)\b/);
    await run(["ledger", "export", "n.csv", "--decisions", "--names"], folder);
    expect(readFileSync(path.join(folder, "n.csv"), "utf8")).toMatch(/\bada\b/);
    await run(["ledger", "export", "c.jsonl", "--cells"], folder);
    expect(readFileSync(path.join(folder, "c.jsonl"), "utf8")).not.toContain('"ada"');
  });

  it("survives that two decide at the same moment: one cell, one decision", async () => {
    const key = (await run(["review", "reviewed", "--json"], folder)).json<Waiting>().rows[0]!.key;
    const both = await Promise.all(
      ["ada", "bo"].map(
        (by) =>
          start(["review", "reviewed", "--only", key, "--edit", `safeSeverity=${by === "ada" ? 1 : 2}`, "--accept", "--as", by], folder)
            .done,
      ),
    );
    // The later one met a decided cell, or decided it anew; whichever it was, the table has one of the two.
    expect(both.some(({ code }) => code === 0)).toBe(true);
    expect(["1", "2"]).toContain(cell(folder, key, "safeSeverity"));
  });

  it("offers the rows that say the same together, shows them, and decides about each", async () => {
    const { rows } = (await run(["review", "reviewed", "--json", "--rows", "1000"], folder)).json<{
      rows: { key: string; alike: number }[];
    }>();
    const [first] = rows;
    const ran = await said(folder, ["review", "reviewed", "--as", "eve"], ["l", "n", "l", "y", "q"]);
    expect(ran.out).toContain(`Accept all ${first!.alike}, each with its own words?`);
    const left = (await run(["review", "reviewed", "--json", "--rows", "1000"], folder)).json<Waiting>().rows;
    expect(left).toHaveLength(rows.length - first!.alike);
    expect(cell(folder, first!.key, "safeSeverity")).not.toBe("");
  });

  it("warns of a check that is too small for its release, before anybody checks a row", async () => {
    const plan = path.join(folder, "plans/small.yaml");
    writeFileSync(
      plan,
      "yoroshi: plan/1\nname: small\ntable: { file: deck-log.csv, key: reportId }\nsteps:\n  one: { template: one-line, inputs: { report: report, vessel: vessel }, fill: { line: summary } }\nreview:\n  hold: { odd: row.lin == 1, release: row.line == 2 }\n  spotCheck: { rows: 20 }\n  release: { wrongAtMost: 0.05 }\nedits: { sumary: refuse }\n",
    );
    const wrong = await run(["check", "small"], folder);
    expect(wrong.out).toMatch(/`release` is a rule of Yoroshi's own/);
    writeFileSync(plan, readFileSync(plan, "utf8").replace(", release: row.line == 2", ""));
    const mistakes = (await run(["check", "small"], folder)).out;
    expect(mistakes).toMatch(/deck-log\.csv has no column `lin`\. Did you mean `line`\?/);
    expect(mistakes).toMatch(/No step fills `sumary`/);
    writeFileSync(plan, readFileSync(plan, "utf8").replace("row.lin ==", "row.line ==").replace("sumary", "line"));
    expect((await run(["check", "small"], folder)).out).toMatch(
      /20 rows cannot show that at most 5 % are wrong, 95 % sure: .*it takes 92 rows/,
    );
  });

  it.skipIf(!HAS_TERMINAL)("labels on a terminal, with the task and the meanings that the model is shown", async () => {
    writeFileSync(path.join(folder, "samples/few.csv"), "reportId,report\nX-1,The line parted at the aft bitts.\n");
    const { code, seen, left } = await atTerminal(["samples", "label", "samples/few.csv", "--template", "hazard-triage"], folder, [
      ["hazard (", "1\r"],
      ["severity (", "4\r"],
    ]);
    expect([code, left]).toEqual([0, []]);
    expect(seen).toContain("Decide which hazard this report is mainly about");
    expect(seen).toContain("somebody could have died");
    expect(readFileSync(path.join(folder, "samples/few.csv"), "utf8")).toMatch(/X-1,.*,mooring,4,/);
  });

  it.skipIf(!HAS_TERMINAL)("takes single keys on a terminal", async () => {
    const { code, seen, left } = await atTerminal(["review", "reviewed", "--as", "dee"], folder, [
      ["? ", "a"],
      ["? ", "r"],
      ["Why?", "not ours\r"],
      ["? ", "q"],
    ]);
    expect([code, left]).toEqual([0, []]);
    expect(seen).toMatch(/decided {2}2 rows/);
  });
});

describe("versions and runs", () => {
  it("keeps a step to an approved version while the file is worked on", async () => {
    const folder = demoProject();
    const plan = path.join(folder, "plans/headlines.yaml");
    writeFileSync(plan, readFileSync(plan, "utf8").replace("template: one-line", "template: one-line\n    version: approved"));
    expect((await run(["check", "headlines"], folder)).out).toContain("No version of the template one-line has been approved yet");
    expect((await run(["versions", "one-line", "--approve", "1", "--as", "ada"], folder)).out).toContain("approved  version 1");
    expect((await run(["versions", "one-line"], folder)).out).toContain("approved by ada");
    expect((await run(["fill", "headlines", "--rows", "3"], folder)).code).toBe(0);
    const file = path.join(folder, "templates/one-line.yaml");
    writeFileSync(file, readFileSync(file, "utf8").replace("task: |", "task: |\n  Quite another instruction now."));
    const again = await run(["fill", "headlines", "--rows", "3", "--json"], folder);
    expect(again.json<{ stale: number }>().stale).toBe(0);
    expect((await run(["status", "headlines"], folder)).out).toContain("keeps to version 1 of one-line; today's file is version 2");
  });

  it("puts back what stood before a run, and lets cells stand", async () => {
    const folder = demoProject();
    await run(["fill", "triage"], folder);
    const before = readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8");
    const file = path.join(folder, "templates/hazard-triage.yaml");
    writeFileSync(
      file,
      readFileSync(file, "utf8").replace("task: |", "task: |\n  A deck, a door, a line, a car, a passenger or the crew is fire."),
    );
    await run(["fill", "triage"], folder);
    expect(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8")).not.toBe(before);
    expect((await run(["fill", "triage", "--undo", "last"], folder)).out).toMatch(/put back .*triage: 2\d\d rows/);
    expect(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8")).toBe(before);
    expect((await run(["status", "triage", "--let-stand", "--as", "ada"], folder)).out).toMatch(/left to stand {2}triage: 2\d\d rows/);
    expect((await run(["fill", "triage", "--json"], folder)).json<{ asked: number; stale: number }>()).toMatchObject({
      asked: 0,
      stale: 0,
    });
    expect(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8")).toBe(before);
    expect((await run(["fill", "triage", "--undo", "nope", "--json"], folder)).json<{ error: { code: string } }>().error.code).toBe(
      "notFound",
    );
  });
});
