import { spawnSync } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import fc from "fast-check";
import Papa from "papaparse";
import { afterAll, describe, expect, it } from "vitest";
import { csvTable } from "../../src/adapters/csv/index.js";
import type { CellOut } from "../../src/core/index.js";

/** Files written by Python's csv module and by LibreOffice, with line feeds, quotes and separators inside cells. */
const FIXTURES = fileURLToPath(new URL("../fixtures/csv", import.meta.url));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-csv-"));
afterAll(() => rmSync(root, { recursive: true, force: true }));
let files = 0;
const PYTHON = ["/usr/bin/python3", "python3"].find((python) => spawnSync(python, ["-c", "import csv"]).status === 0);
if (!PYTHON) console.warn("NO PYTHON: results are not read with its csv module.");

const NOTES: Record<string, string> = { a: 'line one\nline "two"', b: "plain", c: "x;y,z\tw" };
const gives = async (keys: readonly string[]): Promise<(Record<string, CellOut> | undefined)[]> =>
  keys.map((key) => (key in NOTES ? { verdict: NOTES[key]!, score: 3 } : undefined));
const COLUMNS = [
  { name: "verdict", freeText: true },
  { name: "score", type: "integer", freeText: false },
] as const;
const textOf = (bytes: Buffer, name: string): string =>
  (name.includes("utf16") ? bytes.toString("utf16le") : name.includes("1252") ? bytes.toString("latin1") : bytes.toString("utf8")).replace(
    /^\ufeff/,
    "",
  );

describe.each(readdirSync(FIXTURES))("the CSV file %s", (name) => {
  const source = readFileSync(path.join(FIXTURES, name));
  const file = (): string => {
    const copy = path.join(mkdtempSync(path.join(root, `${++files}-`)), "t.csv");
    writeFileSync(copy, source);
    return copy;
  };

  it.each([
    ["beside", false],
    ["in place", true],
  ])("keeps every cell byte for byte when columns are filled %s", async (_, inPlace) => {
    const copy = file();
    await csvTable({ file: copy, key: "id", inPlace }).write(COLUMNS, gives);
    const result = readFileSync(inPlace ? copy : copy.replace(".csv", ".filled.csv"));
    const [before, after] = [textOf(source, name), textOf(result, name)];
    const parsed = (text: string): string[][] => Papa.parse<string[]>(text, { skipEmptyLines: true }).data;
    const rows = parsed(after);
    expect(rows.map((row) => row.slice(0, 3))).toEqual(parsed(before));
    expect(rows[0]!.slice(3)).toEqual(["verdict", "score"]);
    for (const row of rows.slice(1)) expect(row.slice(3)).toEqual(Object.hasOwn(NOTES, row[0]!) ? [NOTES[row[0]!], "3"] : ["", ""]);
    // What was there is a subsequence of what is there now, quotes and line ends included; only the new cells are more.
    let at = 0;
    for (const char of after) if (char === before[at]) at++;
    expect(at).toBe(before.length);
    expect((after.match(/\r\n/g) ?? []).length).toBe((before.match(/\r\n/g) ?? []).length);
  });

  it("is read by the program that wrote it as it was, and gives the same file when nothing is filled", async () => {
    const copy = file();
    const table = csvTable({ file: copy, key: "id" });
    await table.write([], async (keys) => keys.map(() => undefined));
    expect(readFileSync(copy.replace(".csv", ".filled.csv")).equals(source)).toBe(true);
    if (!PYTHON) return;
    await table.write(COLUMNS, gives);
    const quoting = name.includes("nonnumeric") ? ", quoting=csv.QUOTE_NONNUMERIC" : "";
    const delimiter = name.includes("semicolon") || name.includes("ansi") ? ";" : name.includes("tab") ? "\\t" : ",";
    const encoding = name.includes("utf16") ? "utf-16" : name.includes("1252") ? "cp1252" : "utf-8-sig";
    const script = `import csv,json,sys\nprint(json.dumps([[str(c) for c in r] for r in csv.reader(open(sys.argv[1],encoding='${encoding}',newline=''),delimiter='${delimiter}'${quoting})]))`;
    const read = JSON.parse(
      spawnSync(PYTHON, ["-c", script, copy.replace(".csv", ".filled.csv")], { encoding: "utf8" }).stdout,
    ) as string[][];
    expect(read.find((row) => row[0] === "a")!.slice(1, 4)).toEqual(["first line\nsecond line", "Pier 1, aft", NOTES["a"]]);
    expect(read.filter((row) => row.length > 0)).toHaveLength(5);
  });
});

describe("any table of any dialect", () => {
  const cell = fc.string({ unit: fc.constantFrom("a", "é", "😀", '"', ",", ";", "\t", "\n", "\r\n", " ", "=", "7", "'"), maxLength: 8 });
  const dialect = fc.record({
    delimiter: fc.constantFrom(",", ";", "\t", "|"),
    newline: fc.constantFrom("\n", "\r\n"),
    quotes: fc.boolean(),
    mark: fc.constantFrom("", "\ufeff"),
    encoding: fc.constantFrom("utf8" as const, "utf16le" as const),
    closes: fc.boolean(),
  });

  it("is written so that an independent reader finds what went in, and only that", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 12 }),
        fc.array(fc.option(cell, { nil: undefined }), { minLength: 12, maxLength: 12 }),
        dialect,
        async (rows, verdicts, { delimiter, newline, quotes, mark, encoding, closes }) => {
          const table = [["id", "one", "two"], ...rows.map(([one, two], index) => [`k${index}`, one, two])];
          const text = Papa.unparse(table, { delimiter, newline, quotes }) + (closes ? newline : "");
          const file = path.join(mkdtempSync(path.join(root, `${++files}-`)), "t.csv");
          writeFileSync(file, Buffer.from(`${encoding === "utf16le" ? "\ufeff" : mark}${text}`, encoding));
          const one = csvTable({ file, key: "id" });
          const column = { name: "verdict", freeText: true };
          // Twice: into a result of its own, and into that result as it stands.
          for (let time = 0; time < 2; time++)
            await one.write([column], async (keys) =>
              keys.map((key) => (verdicts[Number(key.slice(1))] === undefined ? {} : { verdict: verdicts[Number(key.slice(1))]! })),
            );
          const written = readFileSync(file.replace(".csv", ".filled.csv"))
            .toString(encoding)
            .replace(/^\ufeff/, "");
          const read = Papa.parse<string[]>(written, { delimiter, newline, skipEmptyLines: false }).data.filter((row) => row.length > 1);
          expect(read).toEqual([
            [...table[0]!, "verdict"],
            ...table.slice(1).map((row, index) => [...row, verdicts[index] === undefined ? "" : one.asWritten(column, verdicts[index]!)]),
          ]);
        },
      ),
      { numRuns: 300 },
    );
  });
});
