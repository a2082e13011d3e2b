import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { TableWriting } from "../ground/index.js";
import { memoryTable } from "./memory.js";
import { asWrittenThere, plainText, type Wanted } from "./writing.js";

async function read(
  cells: readonly string[],
  wanted: Wanted,
  said: TableWriting = {},
  allText = true,
): Promise<{ values: string[]; problems: (string | undefined)[]; told: string[] }> {
  const told: string[] = [];
  const table = memoryTable(
    cells.map((x, index) => ({ id: String(index + 1), x, other: x })),
    { key: "id", name: "t" },
  );
  const values: string[] = [];
  const problems: (string | undefined)[] = [];
  for await (const { rows } of asWrittenThere(table, { wanted: { x: wanted }, said, allText, onFound: (text) => told.push(text) }).read()) {
    for (const row of rows) {
      values.push(row.values["x"]!);
      problems.push(row.problem);
      expect(row.values["other"]).toBe(cells[Number(row.key) - 1]);
    }
  }
  return { values, problems, told };
}

describe("numbers and days as people in other countries write them", () => {
  it.each<[string[], string[]]>([
    [
      ["1.234,56", "300,25", "45", "12.000", "", "none"],
      ["1234.56", "300.25", "45", "12000", "", "none"],
    ],
    [
      ["€ 1.234,56", "12,5 kg", "-0,75", "1.234.567"],
      ["€ 1234.56", "12.5 kg", "-0.75", "1234567"],
    ],
    [
      ["1 234,50", "7\u202f000,00", "1'000,5"],
      ["1234.50", "7000.00", "1000.5"],
    ],
    [
      ["1,234.56", "1,200"],
      ["1,234.56", "1,200"],
    ],
    [
      ["12 of 15", "about 3,5 or 4,5", "5"],
      ["12 of 15", "about 3,5 or 4,5", "5"],
    ],
    [
      ["0.125", "1.234"],
      ["0.125", "1.234"],
    ],
  ])("%j are read as %j", async (cells, plain) => {
    expect(await read(cells, "numbers")).toMatchObject({ values: plain, problems: plain.map(() => undefined) });
  });

  it.each<[string[], string[]]>([
    [
      ["01/06/2026", "17/06/2026 8:15", "2026-07-01"],
      ["2026-06-01", "2026-06-17 8:15", "2026-07-01"],
    ],
    [
      ["1/6/2026", "6/17/2026"],
      ["2026-01-06", "2026-06-17"],
    ],
    [
      ["1.6.2026", "02.07.2026"],
      ["2026-06-01", "2026-07-02"],
    ],
    [
      ["6.17.2026", "06.01.2026"],
      ["2026-06-17", "2026-06-01"],
    ],
    [
      ["32/13/2026", "4 March 2026"],
      ["32/13/2026", "4 March 2026"],
    ],
  ])("%j are the days %j", async (cells, plain) => {
    expect((await read(cells, "dates")).values).toEqual(plain);
  });

  it("tells what was found, with an example and the setting that says otherwise; nothing where all is plain", async () => {
    expect((await read(["300,25"], "numbers")).told).toEqual([
      "t: `x` is read with a decimal comma, as in `300,25`. `numbers: point` at the table would say otherwise.",
    ]);
    expect((await read(["01.06.2026"], "dates")).told).toEqual([
      "t: `x` is read with the day first, as in `01.06.2026`. `dates: monthFirst` at the table would say otherwise.",
    ]);
    expect((await read(["300.25"], "numbers")).told).toEqual([]);
  });

  it("asks instead of guessing where a column can be read in two ways, or is written in both", async () => {
    await expect(read(["1,234"], "numbers")).rejects.toThrow(
      't: the numbers in `x` can be read in two ways: `1,234` (row 1). Say under `table:` in the plan which is meant, `numbers: comma` or `numbers: point`; for this column alone: `columns: { "x": { numbers: comma } }`. Nothing was asked.',
    );
    await expect(read(["1.234"], "numbers")).rejects.toMatchObject({ code: "writingUnclear" });
    await expect(read(["300,25", "300.25"], "numbers")).rejects.toThrow("are written in two ways: `300,25` (row 1), `300.25` (row 2)");
    await expect(read(["01/06/2026"], "dates")).rejects.toThrow("`dates: dayFirst` or `dates: monthFirst`");
    // A workbook or a database keeps its numbers with a point.
    expect((await read(["1.234", "300,25"], "numbers", {}, false)).values).toEqual(["1.234", "300.25"]);
  });

  it("takes what the plan says, of a column before that of all; a cell that contradicts it makes its row unusable", async () => {
    expect((await read(["1,234"], "numbers", { numbers: "comma" })).values).toEqual(["1.234"]);
    expect((await read(["1,234"], "numbers", { numbers: "comma", columns: { x: { numbers: "point" } } })).values).toEqual(["1234"]);
    expect((await read(["01/06/2026"], "dates", { dates: "monthFirst" })).values).toEqual(["2026-01-06"]);
    const { problems } = await read(["300.25", "7,5"], "numbers", { numbers: "comma" });
    expect(problems).toEqual([
      "`x` is not written as its column is (a decimal comma); mend the cell, or say with `numbers` at the table how it is written",
      undefined,
    ]);
    expect((await read(["31/06/2026", "06/31/2026"], "dates", { dates: "dayFirst" })).problems[1]).toContain("the day first");
  });

  it("reads back any number that a formatter of another country wrote", () => {
    const writers = ["de-DE", "fr-FR", "da-DK", "pt-BR", "de-CH", "es-ES"].map(
      (locale) => new Intl.NumberFormat(locale, { minimumFractionDigits: 2, maximumFractionDigits: 2, useGrouping: true }),
    );
    fc.assert(
      fc.property(fc.integer({ min: -99_999_999, max: 99_999_999 }), fc.constantFrom(...writers), (hundredths, writer) => {
        const comma = writer.resolvedOptions().locale === "de-CH" ? ("point" as const) : ("comma" as const);
        const plain = plainText(writer.format(hundredths / 100).replace("\u2212", "-"), { numbers: comma });
        expect(Number(plain)).toBe(hundredths / 100);
      }),
    );
  });
});
