import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import BetterSqlite from "better-sqlite3";
import { parse } from "csv-parse/sync";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { InquiryReport } from "../../src/jobs/index.js";
import { demoProject, removeTempFolders, run, smallProject } from "../helpers/cli.js";

let folder: string;
let db: BetterSqlite.Database;
beforeAll(async () => {
  folder = demoProject();
  expect((await run(["fill", "urgent"], folder)).code).toBe(0);
  // What SQL says of the same rows is the measure.
  db = new BetterSqlite(":memory:");
  const rows = parse(readFileSync(path.join(folder, "deck-log.filled.csv"), "utf8"), { columns: true }) as Record<string, string>[];
  const columns = Object.keys(rows[0]!);
  db.exec(`CREATE TABLE log (${columns.map((column) => `"${column}" TEXT`).join(", ")})`);
  const insert = db.prepare(`INSERT INTO log VALUES (${columns.map(() => "?").join(", ")})`);
  for (const row of rows) insert.run(columns.map((column) => row[column]));
}, 120_000);
afterAll(() => {
  db.close();
  removeTempFolders();
});

const ask = async (question: string, ...options: string[]): Promise<InquiryReport> => {
  const { json, err } = await run(["ask", "urgent", question, "--json", ...options], folder);
  expect(err).not.toMatch(/^ +at /m);
  return json();
};
const sql = (where: string, what = "count(*)"): number =>
  (db.prepare(`SELECT ${what} AS n FROM log WHERE ${where}`).get() as { n: number }).n;

describe("questions whose figures SQL knows", () => {
  it.each([
    ["How many of MV Tern's reports are grave?", "vessel = 'MV Tern' AND CAST(gravity AS INTEGER) >= 4"],
    ["How many reports are about mooring?", "hazardFound = 'mooring'"],
    ["How many reports are about fire or spill?", "hazardFound IN ('fire', 'spill')"],
    [
      "How many reports of MV Heron and MV Petrel have a gravity of 3 or more?",
      "vessel IN ('MV Heron', 'MV Petrel') AND CAST(gravity AS INTEGER) >= 3",
    ],
    ["Count the reports that are not mooring or fire", "hazardFound NOT IN ('mooring', 'fire') AND hazardFound <> ''"],
    ["how many reports have gravity between 2 and 3", "CAST(gravity AS INTEGER) BETWEEN 2 AND 3"],
    ["How many reports without gravity are there?", "gravity = ''"],
    ["how many leaking reports are there", "report LIKE '%leak%'"],
    ["how many reports by the chief engineer are urgent?", "writtenBy = 'chief engineer' AND stage = 'urgent'"],
  ])("%s", async (question, where) => {
    const { what, value, matched, keys, counted } = await ask(question);
    expect({ what, value, counted }).toMatchObject({ what: "figure", value: sql(where) });
    expect(matched).toBe(sql(where));
    expect(new Set(keys)).toEqual(new Set(db.prepare(`SELECT reportId FROM log WHERE ${where}`).pluck().all()));
  });

  it("of shares, means and extremes", async () => {
    expect((await ask("What share of the reports is about mooring?")).value).toBeCloseTo(sql("hazardFound = 'mooring'") / sql("1"), 4);
    expect((await ask("What is the average gravity of fire reports?")).value).toBeCloseTo(
      sql("hazardFound = 'fire' AND gravity <> ''", "avg(CAST(gravity AS REAL))"),
      4,
    );
    expect(String((await ask("What is the highest gravity of MV Dipper?")).value)).toBe(
      String(sql("vessel = 'MV Dipper'", "max(CAST(gravity AS INTEGER))")),
    );
  });

  it("for each value of a column, and which has most", async () => {
    const each = await ask("average gravity for each vessel");
    const wanted = db
      .prepare(
        "SELECT vessel AS value, round(avg(CAST(gravity AS REAL)), 4) AS figure FROM log WHERE gravity <> '' GROUP BY vessel ORDER BY figure DESC",
      )
      .all();
    expect(each.groups?.map(({ value, figure }) => ({ value, figure }))).toEqual(wanted);
    const most = await ask("Which vessel has the most fire reports?");
    const first = db
      .prepare("SELECT vessel, count(*) AS n FROM log WHERE hazardFound = 'fire' GROUP BY vessel ORDER BY n DESC, vessel LIMIT 1")
      .get() as { vessel: string; n: number };
    expect(most.groups).toEqual([{ value: first.vessel, figure: first.n, rows: first.n }]);
  });

  it("as rows, with the filter that finds them, which a fill understands, too", async () => {
    const { what, where, keys, matched } = await ask("grave reports of MV Tern", "--list");
    expect(what).toBe("list");
    expect(matched).toBe(sql("vessel = 'MV Tern' AND CAST(gravity AS INTEGER) >= 4"));
    const { json } = await run(["fill", "urgent", "--dry-run", "--json", "--where", where!], folder);
    expect(json<{ rows: number }>().rows).toBe(keys.length);
  });
});

describe("questions that cannot be counted", () => {
  it("by what is not there are asked back, never guessed", async () => {
    for (const question of ["How many reports of MV Kraken?", "How many reports in August?", "List rows"]) {
      const { what, value, back } = await ask(question);
      expect({ what, value }, question).toEqual({ what: "unclear", value: null });
      expect(back?.problem, question).toMatch(/No column has|names no column/);
    }
    expect(await run(["ask", "urgent", "How many reports of MV Kraken?"], folder)).toMatchObject({
      code: 1,
      out: expect.stringContaining("MV Kraken"),
    });
  });

  it("by a name that means two columns are given back with the readings", async () => {
    const small = smallProject("id,note\n");
    writeFileSync(
      path.join(small, "crew.csv"),
      "who,master,mate\n1,Ines,Tom\n2,Tom,Ines\n3,Ines,Kiri\n4,Kiri,Tom\n5,Tom,Kiri\n6,Ines,Tom\n7,Ines,Tom\n8,Tom,Ines\n",
    );
    const { json } = await run(["ask", "crew.csv", "how many rows have Ines", "--json"], small);
    expect(json<InquiryReport>()).toMatchObject({ what: "unclear", back: { readings: ["`master` is “Ines”", "`mate` is “Ines”"] } });
    const named = await run(["ask", "crew.csv", "how many rows have Ines as master", "--json"], small);
    expect(named.json<InquiryReport>()).toMatchObject({ what: "figure", value: 4 });
  });

  it("by words of rows are answered from these, said to be read, with numbers that stand in none told", async () => {
    const report = await ask("Why do fire reports of MV Tern come about?");
    expect(report).toMatchObject({ what: "read", value: null, unfounded: [] });
    expect(report.matched).toBe(sql("vessel = 'MV Tern' AND hazardFound = 'fire'"));
    expect(report.counted).toMatch(/^read from .* by a model$/);
    expect((await run(["ask", "urgent", "Why do fire reports of MV Tern come about?"], folder)).out).toMatch(
      /read by a model from the rows, not counted/,
    );
  });
});

it("a reading that is known is not asked for again", async () => {
  await ask("How many reports are about spill?");
  expect(await ask("How many reports are about spill?")).toMatchObject({ known: true, spent: 0 });
});
