import { describe, expect, it } from "vitest";
import { inquiryColumns, type InquiryRow } from "./columns.js";
import { computeInquiry, type Counted } from "./compute.js";
import { checkInquiry, inquiryCel, type ReadInquiry } from "./inquiry.js";
import { unfoundedNumbers, wordPieces } from "./read-words.js";

const ROWS: readonly InquiryRow[] = [
  { id: "1", vessel: "MV Tern", "log date": "2026-08-01", level: 5, acts: true, note: "line (aft) parted" },
  { id: "2", vessel: "MV Tern", "log date": "2026-08-09", level: 2, acts: false, note: "oil on deck" },
  { id: "3", vessel: "MV Heron", "log date": "2026-09-01", level: "", acts: "", note: "" },
  { id: "4", vessel: 'MV "Odd" \\', "log date": "", level: 4, acts: true, note: "line parted, then oil" },
  { id: "5", vessel: "", "log date": "2026-08-30", level: 4, acts: true, note: "smoke" },
];
const NAMES = ["id", "vessel", "log date", "level", "acts", "note"];
const columns = inquiryColumns(NAMES, Array.from({ length: 8 }, () => ROWS).flat()).map((column) =>
  column.name === "vessel"
    ? { ...column, holds: "options" as const }
    : column.name === "note"
      ? { ...column, holds: "words" as const, values: [] }
      : column,
);
const read = (about: Partial<ReadInquiry>): ReadInquiry => ({
  understood: "as asked",
  what: "figure",
  figure: "count",
  of: null,
  by: null,
  conditions: [],
  any: false,
  order: null,
  limit: null,
  unclear: [],
  ...about,
});
async function* rows(): AsyncGenerator<{ key: string; row: InquiryRow }[]> {
  yield ROWS.slice(0, 2).map((row) => ({ key: String(row["id"]), row }));
  yield ROWS.slice(2).map((row) => ({ key: String(row["id"]), row }));
}
async function counted(about: Partial<ReadInquiry>): Promise<Counted> {
  const checked = checkInquiry(read(about), columns);
  if ("back" in checked) throw new Error(checked.back.problem);
  return computeInquiry(checked.inquiry, columns, rows());
}
const where = (column: string, is: string, ...values: string[]): ReadInquiry["conditions"][number] => ({ column, is, values });

describe("conditions", () => {
  it.each([
    [[where("vessel", "one of", "mv tern")], ["1", "2"]],
    [[where("vessel", "one of", 'MV "Odd" \\', "MV Heron")], ["3", "4"]],
    [[where("vessel", "none of", "MV Tern")], ["3", "4"]],
    [[where("vessel", "blank")], ["5"]],
    [[where("level", "at least", "4")], ["1", "4", "5"]],
    [[where("level", "below", "4.5")], ["2", "4", "5"]],
    [[where("acts", "one of", "yes")], ["1", "4", "5"]],
    [[where("note", "contains", "line (AFT)")], ["1"]],
    [[where("log date", "above", "2026-08-09")], ["3", "5"]],
    [[where("vessel", "one of", "MV Tern"), where("level", "at least", "4")], ["1"]],
  ] as const)("%j find their rows, whatever stands in the values", async (conditions, keys) => {
    expect((await counted({ conditions })).keys).toEqual(keys);
  });

  it("of which one is enough", async () => {
    const conditions = [where("vessel", "one of", "MV Heron"), where("level", "at least", "5")];
    expect((await counted({ conditions, any: true })).keys).toEqual(["1", "3"]);
  });

  it("are CEL that names columns with any letters", () => {
    expect(inquiryCel({ conditions: [where("log date", "filled") as never], any: false }, columns)).toBe('string(row["log date"]) != ""');
  });
});

describe("figures", () => {
  it("leave out what is blank, and shares are of all rows", async () => {
    expect((await counted({ figure: "mean", of: "level" })).value).toBe(3.75);
    expect((await counted({ figure: "max", of: "log date" })).value).toBe("2026-09-01");
    expect((await counted({ figure: "share", conditions: [where("level", "at least", "4")] })).value).toBe(0.6);
    expect((await counted({ figure: "distinct", of: "vessel" })).value).toBe(3);
    expect((await counted({ figure: "mean", of: "level", conditions: [where("vessel", "one of", "MV Heron")] })).value).toBe("");
  });

  it("for each value come in order, the blank one named", async () => {
    const { groups } = await counted({ what: "each", by: "vessel", order: "most", limit: 2 });
    expect(groups).toEqual([
      { value: "MV Tern", figure: 2, rows: 2 },
      { value: "(blank)", figure: 1, rows: 1 },
    ]);
  });
});

describe("what cannot be computed", () => {
  it.each([
    [{ what: "unclear", understood: "It could be two columns.", unclear: ["a", "b"] }, /two columns/],
    [{ figure: "mean" }, /of which column is not said/],
    [{ figure: "sum", of: "vessel" }, /holds no numbers/],
    [{ what: "each" }, /For each of what/],
    [{ conditions: [where("vessel", "one of", "MV Kraken")] }, /has no value `MV Kraken`/],
    [{ conditions: [where("level", "at least", "many")] }, /which is no number/],
    [{ conditions: [where("vessel", "above", "3")] }, /no sizes/],
    [{ conditions: [where("log date", "below", "soon")] }, /no day/],
    [{ conditions: [where("vessel", "one of")] }, /is not said/],
  ] as const)("%j is asked back", (about, problem) => {
    const checked = checkInquiry(read(about as Partial<ReadInquiry>), columns);
    expect("back" in checked ? checked.back.problem : "").toMatch(problem);
  });
});

it("words come in pieces, and numbers that stand in none of them are told", () => {
  expect(wordPieces(["aaa", "bbb", "c".repeat(20)], 8)).toEqual(["aaa\nbbb", "c".repeat(8)]);
  expect(unfoundedNumbers("In 12 of 248 rows 3.5 m, and 7 more.", ["it was 3.5 m", "12 chains"], [248])).toEqual(["7"]);
});
