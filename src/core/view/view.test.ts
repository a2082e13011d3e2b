import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import type { FillSetup } from "../cells/index.js";
import { fill } from "../fill/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan, type PlanShape } from "../plan/index.js";
import { memoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { beginView, columnFigures, crossFigures, openView, type TableView, type ViewQuery } from "./index.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { level: { kind: "score", from: 1, to: 5 } },
});

function world(rows: readonly Readonly<Record<string, string>>[], shape: Partial<PlanShape> = {}): FillSetup {
  const model = scriptedModel((request) => JSON.stringify({ level: Number(/\d/.exec(fenced(request, "note"))?.[0]) }));
  return {
    plan: makePlan({
      name: "p",
      table: { file: "t.csv", key: "id" },
      steps: { sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level" } } },
      ...shape,
    }),
    table: memoryTable(rows, { key: "id" }),
    asking: { sort: { prepared: prepare(sort) as never, version: 1, model } },
    ledger: memoryLedger(),
    clock: fakeClock(),
  };
}

const rows = [
  { id: "a", text: "hit 5", port: "Île-d'Aix", day: "2026-03-02", cost: "10" },
  { id: "b", text: "slip 2", port: "bay 10", day: "2026-01-09", cost: "9.5" },
  { id: "c", text: "", port: "bay 9", day: "", cost: "-1" },
  { id: "d", text: "Hit 3 [x", port: "", day: "2026-02-28", cost: "" },
];

const keys = (view: TableView, query: ViewQuery): string =>
  view
    .page(query, { from: 0, limit: 99 })
    .page.map(({ key }) => key)
    .join("");

describe("a view of a table", () => {
  it("shows how each cell stands, what is held, and why", async () => {
    const setup = world(rows, { review: { hold: { grave: "row.level >= 5" } } });
    await fill(setup);
    const view = await openView(setup);
    expect(view.columns.map(({ name }) => name)).toEqual(["id", "text", "port", "day", "cost", "level"]);
    expect(view.columns.at(-1)!.filled).toEqual({ step: "sort", part: "level", kind: "score" });
    const { page, found, rows: all } = view.page({}, { from: 1, limit: 2 });
    expect({ found, all }).toEqual({ found: 4, all: 4 });
    expect(page[0]).toEqual({ key: "b", place: "row 2", values: ["b", "slip 2", "bay 10", "2026-01-09", "9.5", "2"], states: {} });
    expect(page[1]!.states["level"]).toMatchObject({ state: "skipped" });
    expect(page[1]!.states["level"]!.reason).toContain("note");
    expect(view.page({}, { from: 0, limit: 1 }).page[0]!.states["level"]).toMatchObject({ state: "held", held: "5" });
  });

  it("sorts numbers by size, words as people do, and blank last either way", async () => {
    const setup = world(rows);
    await fill(setup);
    const view = await openView(setup);
    expect(keys(view, { sort: [{ column: "cost" }] })).toBe("cbad");
    expect(keys(view, { sort: [{ column: "cost", descending: true }] })).toBe("abcd");
    expect(keys(view, { sort: [{ column: "port" }] })).toBe("cbad");
    expect(keys(view, { sort: [{ column: "day", descending: true }] })).toBe("adbc");
    expect(keys(view, { sort: [{ column: "level", descending: true }, { column: "id" }] })).toBe("adbc");
  });

  it("finds by words, by values, by states and by conditions", async () => {
    const setup = world(rows);
    await fill(setup);
    const view = await openView(setup);
    expect(keys(view, { search: "HIT" })).toBe("ad");
    expect(keys(view, { search: "hit [x" })).toBe("d");
    expect(keys(view, { search: "île" })).toBe("a");
    expect(keys(view, { filters: [{ column: "port", is: ["bay 9", "bay 10"] }] })).toBe("bc");
    expect(keys(view, { filters: [{ column: "port", not: ["bay 9"], blank: false }] })).toBe("ab");
    expect(keys(view, { filters: [{ column: "cost", atLeast: "9.5" }] })).toBe("ab");
    expect(keys(view, { filters: [{ column: "day", atLeast: "2026-02", atMost: "2026-03-01" }] })).toBe("d");
    expect(keys(view, { filters: [{ column: "level", state: ["skipped"] }] })).toBe("c");
    expect(keys(view, { where: "row.level >= 3 && row.port != ''" })).toBe("a");
    expect(() => keys(view, { where: "row.level >" })).toThrow(/cannot be read as CEL/);
    expect(() => keys(view, { sort: [{ column: "prot" }] })).toThrow(/no column `prot`/);
  });

  it("brings in what changed since, without reading the table again", async () => {
    const setup = world(rows);
    const view = await openView(setup);
    expect(keys(view, { filters: [{ column: "level", state: ["blank"] }] })).toBe("abd");
    expect(keys(view, { sort: [{ column: "level" }] })).toBe("abcd");
    await fill(setup);
    const read = setup.table.read;
    setup.table.read = () => {
      throw new Error("read again");
    };
    expect(await view.renew(["a", "d", "nobody"])).toBe(2);
    expect(keys(view, { filters: [{ column: "level", state: ["blank"] }] })).toBe("b");
    expect(keys(view, { sort: [{ column: "level" }] })).toBe("dabc");
    setup.table.read = read;
  });

  it("gives the figures of a column in the rows that are found", async () => {
    const setup = world(rows);
    await fill(setup);
    const view = await openView(setup);
    const { values, states } = view.column("level", { filters: [{ column: "cost", blank: false }] });
    expect(columnFigures(values, states)).toEqual({
      of: "numbers",
      rows: 3,
      blank: 1,
      different: 2,
      others: 0,
      numbers: { least: 2, most: 5, mean: 3.5, median: 3.5 },
      bins: [
        { value: "2", rows: 1 },
        { value: "5", rows: 1 },
      ],
      states: { filled: 2, skipped: 1 },
    });
  });
});

describe("figures of a column", () => {
  it("counts every number once, in pieces with round bounds", () => {
    const values = Array.from({ length: 1_000 }, (_, index) => String(index / 7 - 20));
    const { bins, numbers } = columnFigures(values);
    expect(bins.reduce((sum, { rows: own }) => sum + own, 0)).toBe(1_000);
    expect(bins.length).toBeLessThanOrEqual(21);
    expect(bins[0]).toMatchObject({ value: "-20", to: "-10" });
    for (const { value, to, rows: own } of bins)
      expect(own).toBe(values.filter((one) => Number(one) >= Number(value) && Number(one) < Number(to)).length);
    expect(numbers!.median).toBeCloseTo(499.5 / 7 - 20, 9);
  });

  it("counts days by month, and words by how common they are", () => {
    const days = Array.from({ length: 60 }, (_, index) => new Date(Date.UTC(2026, 0, 1 + index)).toISOString().slice(0, 10));
    expect(columnFigures(days)).toMatchObject({
      of: "days",
      bins: [
        { value: "2026-01", rows: 31 },
        { value: "2026-02", rows: 28 },
        { value: "2026-03", rows: 1 },
      ],
    });
    const words = ["b", "a", "b", "", ...Array.from({ length: 60 }, (_, index) => `w${index}`)];
    const { bins, others, blank, different } = columnFigures(words);
    expect(bins.slice(0, 2)).toEqual([
      { value: "b", rows: 2 },
      { value: "a", rows: 1 },
    ]);
    expect({ others, blank, different }).toEqual({ others: 12, blank: 1, different: 62 });
  });
});

describe("how a view stands", () => {
  const graded = async (): Promise<TableView> => {
    const setup = world(rows, { review: { hold: { grave: "row.level >= 5" } } });
    await fill(setup);
    return openView(setup);
  };

  it("counts by column and by row, of what is looked for alone", async () => {
    const view = await graded();
    expect(view.standing({})).toEqual({
      found: 4,
      columns: { level: { held: 1, filled: 2, skipped: 1 } },
      rows: { held: 1, filled: 2, skipped: 1 },
    });
    expect(view.standing({ search: "hit" })).toMatchObject({ found: 2, rows: { held: 1, filled: 1 } });
    expect(view.keys({ states: ["held", "skipped"], sort: [{ column: "id", descending: true }] })).toEqual(["c", "a"]);
    const { reason } = view.page({ states: ["skipped"] }, { from: 0, limit: 1 }).page[0]!.states["level"]!;
    expect(view.keys({ filters: [{ column: "level", because: reason }] })).toEqual(["c"]);
    expect(view.keys({ filters: [{ column: "level", because: "nothing of the kind" }] })).toEqual([]);
  });

  it("finds a row's place in any order, and the next row that a person is told something of", async () => {
    const view = await graded();
    const backwards = { sort: [{ column: "id", descending: true }] };
    expect(view.placeOf(backwards, "a")).toBe(3);
    expect(view.placeOf({ search: "slip" }, "a")).toBeUndefined();
    expect(view.placeOf({}, "nobody")).toBeUndefined();
    expect(view.nextNoted({}, -1, false)).toEqual({ place: 0, key: "a" });
    expect(view.nextNoted({}, 0, false)).toEqual({ place: 2, key: "c" });
    expect(view.nextNoted({}, 2, false)).toBeUndefined();
    expect(view.nextNoted(backwards, 4, true)).toEqual({ place: 3, key: "a" });
  });

  it("gives its first rows while it is still read, and forgets what it found of fewer rows", async () => {
    const setup = world(rows);
    let goOn = (): void => undefined;
    const waiting = new Promise<void>((resolve) => (goOn = resolve));
    const { table } = setup;
    const slow = Object.create(table, {
      read: {
        value: async function* read() {
          for await (const chunk of table.read()) {
            yield { rows: chunk.rows.slice(0, 2), share: 0.5 };
            await waiting;
            yield { rows: chunk.rows.slice(2), share: 1 };
          }
        },
      },
    }) as typeof table;
    const opening = await beginView({ ...setup, table: slow });
    await expect.poll(() => opening.view.rows).toBe(2);
    expect(opening.share).toBe(0.5);
    expect(opening.view.page({}, { from: 0, limit: 9 })).toMatchObject({ rows: 2, found: 2 });
    expect(opening.view.standing({}).columns).toEqual({ level: { blank: 2 } });
    goOn();
    const whole = await opening.whole;
    expect(whole.page({}, { from: 0, limit: 9 }).page.map(({ key }) => key)).toEqual(["a", "b", "c", "d"]);
    expect(whole.standing({}).columns["level"]).toEqual({ blank: 3, skipped: 1 });
  });
});

describe("a column by another one", () => {
  it("has each share with its interval, in groups by value, by size and by month", () => {
    // Intervals by scipy.stats.binomtest(2, 3).proportion_ci(method="wilson").
    const { groups, values, of } = crossFigures(["yes", "no", "yes", "yes", ""], ["x", "x", "x", "y", "y"]);
    expect({ of, values }).toEqual({ of: "values", values: ["yes", "no"] });
    expect(groups.map(({ by, rows: count }) => [by, count])).toEqual([
      ["x", 3],
      ["y", 1],
    ]);
    expect(groups[0]!.shares["yes"]!.interval.low).toBeCloseTo(0.20765960080204782, 8);
    expect(groups[0]!.shares["yes"]!.interval.high).toBeCloseTo(0.9385080552796038, 8);
    expect(groups[1]!.shares["no"]).toMatchObject({ rows: 0, share: 0 });
    const days = Array.from({ length: 14 }, (_, index) => `2026-0${index < 7 ? 1 : 2}-${10 + index}`);
    expect(
      crossFigures(
        days.map(() => "a"),
        days,
      ).groups.map(({ by, rows: count }) => [by, count]),
    ).toEqual([
      ["2026-01", 7],
      ["2026-02", 7],
    ]);
    const sizes = Array.from({ length: 40 }, (_, index) => String(index));
    const { groups: pieces } = crossFigures(
      sizes.map(() => "a"),
      sizes,
    );
    expect(pieces.length).toBeGreaterThan(5);
    expect(pieces.reduce((sum, one) => sum + one.rows, 0)).toBe(40);
  });

  it("has means of numbers with the interval of the normal approximation", () => {
    // numpy: mean 3, std(ddof=1) / sqrt(5) * 1.959963984540054 = 1.3859038243496777
    const { groups, of } = crossFigures(["1", "2", "3", "4", "5", "7"], ["x", "x", "x", "x", "x", "y"]);
    expect(of).toBe("numbers");
    expect(groups[0]!.mean!.value).toBe(3);
    expect(groups[0]!.mean!.interval!.high).toBeCloseTo(3 + 1.3859038243, 8);
    expect(groups[1]!.mean).toEqual({ value: 7, interval: null });
  });
});
