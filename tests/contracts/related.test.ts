import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { stringify } from "csv-stringify/sync";
import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import { csvRows } from "../../src/adapters/csv/index.js";
import { jsonlRows } from "../../src/adapters/jsonl/index.js";
import { sqliteLookup } from "../../src/adapters/sqlite-lookup/index.js";
import { memoryRelated, type Related, type RelatedRow, type RelatedWay } from "../../src/core/index.js";

const root = mkdtempSync(path.join(tmpdir(), "yoroshi-related-"));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let files = 0;

const MESSAGES: RelatedRow[] = [
  { id: "M1", report: "a", at: "2026-08-03", said: "third" },
  { id: "M2", report: "b", at: "2026-08-01", said: 'with "quotes", and\ntwo lines' },
  { id: "M3", report: "a", at: "2026-08-01", said: "first" },
  { id: "M4", report: "a", at: "2026-08-02", said: "second 😀" },
  { id: "M5", report: "", at: "2026-08-02", said: "of nobody" },
];
const COLUMNS = ["id", "report", "at", "said"];
const csvFile = (rows: readonly RelatedRow[]): string => {
  const file = path.join(root, `${++files}.csv`);
  writeFileSync(file, stringify([COLUMNS, ...rows.map((row) => COLUMNS.map((column) => row[column] ?? ""))]));
  return file;
};
const jsonlFile = (rows: readonly RelatedRow[]): string => {
  const file = path.join(root, `${++files}.jsonl`);
  writeFileSync(file, rows.map((row) => `${JSON.stringify(row)}\n`).join(""));
  return file;
};
const way = (more: Partial<RelatedWay> = {}): RelatedWay => ({ match: { report: "key" }, limit: 50, keep: "newest", order: "at", ...more });
const rowsOf = (...keys: string[]) => keys.map((key) => ({ key, place: "", values: { key } }));

describe.each<[string, (rows: readonly RelatedRow[], how: RelatedWay) => Related]>([
  ["memory", memoryRelated],
  ["sqlite over csv", (rows, how) => sqliteLookup(csvRows(csvFile(rows), "m.csv"), how)],
  ["sqlite over json lines", (rows, how) => sqliteLookup(jsonlRows(jsonlFile(rows), "m.jsonl"), how)],
])("related rows contract: %s", (_, make) => {
  const said = async (how: RelatedWay, ...keys: string[]) => {
    const related = make(MESSAGES, how);
    const found = (await related.of(rowsOf(...keys))).map(({ rows }) => rows.map((row) => row["said"]));
    await related.close();
    return found;
  };

  it("gives each row its own, in order, none for others, in one look-up", async () => {
    expect(await said(way(), "a", "zzz", "b", "a")).toEqual([
      ["first", "second 😀", "third"],
      [],
      [MESSAGES[1]!["said"]],
      ["first", "second 😀", "third"],
    ]);
    expect(await said(way(), ...Array.from({ length: 300 }, (__, index) => (index === 299 ? "b" : `k${index}`)))).toHaveLength(300);
  });

  it("keeps the newest or the oldest when there are more", async () => {
    expect(await said(way({ limit: 2 }), "a")).toEqual([["second 😀", "third"]]);
    expect(await said(way({ limit: 2, keep: "oldest" }), "a")).toEqual([["first", "second 😀"]]);
    const related = make(MESSAGES, way({ limit: 2 }));
    expect((await related.of(rowsOf("a", "b", "zzz"))).map(({ left }) => left)).toEqual([1, 0, 0]);
    await related.close();
    // Without an order, the table's own.
    expect(await said({ match: { report: "key" }, limit: 2, keep: "newest" }, "a")).toEqual([["first", "second 😀"]]);
  });

  it("renames columns, and matches by several", async () => {
    const related = make(MESSAGES, way({ columns: { words: "said" }, match: { report: "key", at: "day" } }));
    const [found] = await related.of([{ key: "a", place: "", values: { key: "a", day: "2026-08-02" } }]);
    expect(found?.rows).toMatchObject([{ words: "second 😀", id: "M4" }]);
    expect(await related.columns()).toEqual(COLUMNS);
    await related.close();
  });

  it("orders numbers by size and before other text", async () => {
    const rows = ["10", "9", "x", "-1", "09"].map((at, index) => ({ id: String(index), report: "a", at, said: at }));
    const related = make(rows, way());
    expect((await related.of(rowsOf("a")))[0]!.rows.map((row) => row["said"])).toEqual(["-1", "9", "09", "10", "x"]);
    await related.close();
  });
});

it("the look-up in SQLite gives what the one in memory gives", async () => {
  const cell = fc.constantFrom("a", "b", "c", "1", "2", "10", "x", "");
  const table = fc.array(
    fc.record({
      id: fc.string({ maxLength: 3 }).filter((text) => !/[\0\r\n]/.test(text)),
      report: fc.constantFrom("a", "b", "c"),
      at: cell,
      said: cell,
    }),
    { minLength: 1, maxLength: 20 },
  );
  await fc.assert(
    fc.asyncProperty(
      table,
      fc.integer({ min: 1, max: 4 }),
      fc.constantFrom("newest" as const, "oldest" as const),
      async (rows, limit, keep) => {
        const how = way({ limit, keep });
        const lookup = sqliteLookup(jsonlRows(jsonlFile(rows), "m.jsonl"), how);
        expect(await lookup.of(rowsOf("a", "b", "d"))).toEqual(await memoryRelated(rows, how).of(rowsOf("a", "b", "d")));
        await lookup.close();
      },
    ),
    { numRuns: 60 },
  );
});

it("a look-up says which column its table lacks, and changes its mark with the table", async () => {
  const file = csvFile(MESSAGES);
  await expect(sqliteLookup(csvRows(file, "m.csv"), way({ order: "when" })).of(rowsOf("a"))).rejects.toThrow(
    "m.csv, row 1: there is no column `when`, which the plan's related rows need. Columns: id, report, at, said.",
  );
  const related = sqliteLookup(csvRows(file, "m.csv"), way());
  const before = await related.mark();
  writeFileSync(file, `${stringify([COLUMNS])}M9,a,2026-01-01,new\n`);
  expect(await related.mark()).not.toBe(before);
});
