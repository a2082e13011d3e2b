import fc from "fast-check";
import { beforeEach, describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { explainCells, survey, type FillSetup } from "../cells/index.js";
import { fill, preview } from "../fill/index.js";
import type { Json, TableSource } from "../ground/index.js";
import { memoryLedger } from "../ledger/index.js";
import { plan as makePlan, type SetStep } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template, type Prepared } from "../template/index.js";
import { derivedTable, withOwnStep } from "./derived-table.js";
import { readyFigure, type FigureRow } from "./figures.js";
import { groupRows } from "./groups.js";
import { itemRows } from "./items.js";
import { numbered, type Numbered } from "./numbers.js";

const details = template({
  name: "details",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: {
    seen: { kind: "list", of: { kind: "record", parts: { what: { kind: "text" }, how: { kind: "score", from: 0, to: 5 } } } },
    tags: { kind: "choices", options: ["wet", "dark"], atLeast: 0 },
    level: { kind: "score", from: 1, to: 5 },
  },
});

/** A note such as `rope 3, oil 1 | wet | 4` gives its own answer. */
const model = () =>
  scriptedModel((request) => {
    const [seen = "", tags = "", level = "1"] = fenced(request, "note")
      .split("|")
      .map((part) => part.trim());
    return JSON.stringify({
      seen: seen
        .split(",")
        .filter((one) => one.trim() !== "")
        .map((one) => ({ what: one.replace(/\d+/, "").trim(), how: Number(/\d+/.exec(one)?.[0] ?? 0) })),
      tags: tags.split(" ").filter((tag) => tag !== ""),
      level: Number(level),
    });
  });

interface World {
  readonly parent: FillSetup & { readonly table: MemoryTable };
  readonly out: MemoryTable;
  readonly notices: string[];
  items(source?: object): FillSetup;
  groups(source: object, steps?: Record<string, SetStep>): Promise<FillSetup>;
}

function world(notes: readonly string[]): World {
  const ledger = memoryLedger();
  const clock = fakeClock();
  const parent = {
    plan: makePlan({
      name: "log",
      table: { file: "log.csv", key: "id" },
      steps: { details: { template: "details", fill: { seen: "seen", tags: "tags", level: "level" } } },
    }),
    table: memoryTable(
      notes.map((note, index) => ({ id: `r${index + 1}`, ship: index % 2 === 0 ? "Kea" : "Tui", day: `${index + 1} May 2026`, note })),
      { key: "id" },
    ),
    asking: { details: { prepared: prepare(details) as unknown as Prepared, version: 1, model: model() } },
    ledger,
    clock,
  };
  const notices: string[] = [];
  const out = memoryTable([], { key: "key", name: "out" });
  return {
    parent,
    out,
    notices,
    items(source = {}) {
      const plan = makePlan({
        name: "seen",
        table: { file: "seen.csv", key: "key", items: { of: "log", column: "seen", carry: ["ship"], ...source } },
      });
      const made = itemRows(parent, plan.table.items!, { plan: plan.name, key: "key" });
      return {
        ...parent,
        asking: {},
        plan: withOwnStep(plan, made),
        table: derivedTable(made, out, { onNotice: (text) => notices.push(text) }),
      };
    },
    async groups(source, steps = {}) {
      const plan = makePlan({
        name: "ships",
        table: { file: "ships.csv", groups: { of: "log", ...source } as TableSource["groups"] & object },
        steps,
      });
      const made = await groupRows(parent, plan.table.groups!);
      const table = memoryTable([], { key: plan.table.key, name: "groups" });
      const derived = { ...parent, asking: {}, plan: withOwnStep(plan, made), table: derivedTable(made, table) };
      return Object.assign(derived, { out: table });
    },
  };
}

describe("numbers of items", () => {
  const start: Numbered = { next: 1, items: [] };
  const after = (...lists: string[][]): Numbered => lists.reduce<Numbered>((before, list) => numbered(before, list), start);
  const told = ({ items }: Numbered): string[] => items.map(({ number, item }) => `${number} ${item as string}`);

  it("stay with their item, whatever comes or goes around it", () => {
    expect(told(after(["rope", "oil"]))).toEqual(["1 rope", "2 oil"]);
    expect(told(after(["rope", "oil"], ["oil", "rope"]))).toEqual(["2 oil", "1 rope"]);
    expect(told(after(["rope", "oil"], ["smoke", "oil"]))).toEqual(["3 smoke", "2 oil"]);
    expect(told(after(["rope", "oil"], ["oil"], ["rope", "oil"]))).toEqual(["3 rope", "2 oil"]);
    expect(told(after(["the rope was worn through", "oil on deck 3"], ["oil on the deck 3", "smoke", "the rope was worn"]))).toEqual([
      "2 oil on the deck 3",
      "3 smoke",
      "1 the rope was worn",
    ]);
    expect(told(after(["same", "same"], ["same"]))).toEqual(["1 same"]);
  });

  it("are never given twice", () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.constantFrom("a", "bb", "ccc", "dddd", "dddx"), { maxLength: 5 }), { minLength: 1, maxLength: 6 }),
        (lists) => {
          const seen = new Map<number, Json>();
          let state = start;
          for (const list of lists) {
            const before = state;
            state = numbered(state, list);
            expect(new Set(state.items.map(({ number }) => number)).size).toBe(list.length);
            expect(state.items.map(({ item }) => item)).toEqual(list);
            for (const { number } of state.items)
              expect(before.items.some((one) => one.number === number) || number >= before.next).toBe(true);
            for (const { number, item } of state.items) seen.set(number, item);
            expect(numbered(state, list)).toEqual(state);
          }
        },
      ),
    );
  });
});

describe("rows made of items", () => {
  let one: World;
  beforeEach(async () => {
    one = world(["rope 3, oil 1 | wet", "", "smoke 5"]);
    await fill(one.parent);
  });
  const rows = (): unknown => one.out.rows;

  it("have the parts of their item, their parent's key and what is carried along; a second run doubles nothing", async () => {
    expect(await fill(one.items())).toMatchObject({ rows: 3, filled: 3, asked: 0, written: true });
    const first = [
      { key: "r1/1", id: "r1", ship: "Kea", what: "rope", how: "3" },
      { key: "r1/2", id: "r1", ship: "Kea", what: "oil", how: "1" },
      { key: "r3/1", id: "r3", ship: "Kea", what: "smoke", how: "5" },
    ];
    expect(rows()).toEqual(first);
    expect(await fill(one.items())).toMatchObject({ rows: 3, filled: 3, written: false });
    expect(rows()).toEqual(first);
    expect((await survey(one.items())).columns).toMatchObject({ what: { filled: 3 } });
    expect((await preview(one.items(), {}, () => 1)).filled).toBe(3);
    expect((await explainCells(one.items(), "r1/2"))[0]).toMatchObject({ place: "item 2 of r1", state: "filled" });
  });

  it("change, come and go with the answers, and keep what a person wrote", async () => {
    await fill(one.items());
    one.out.rows[0]!["what"] = "the aft rope";
    one.out.rows[1]!["done"] = "yes";
    one.out.rows.push({ key: "mine", what: "added by hand" });
    one.parent.table.rows[0]!["note"] = "rope 4";
    one.parent.table.rows[2]!["note"] = "fog 2, smoke 5";
    await fill(one.parent);
    await fill(one.items());
    expect(rows()).toEqual([
      // Edited, and otherwise renewed.
      { key: "r1/1", id: "r1", ship: "Kea", what: "the aft rope", how: "4" },
      // Gone from the answer, yet a person wrote beside it.
      { key: "r1/2", id: "r1", ship: "Kea", what: "oil", how: "1", done: "yes" },
      { key: "r3/1", id: "r3", ship: "Kea", what: "smoke", how: "5" },
      { key: "mine", what: "added by hand", id: "", ship: "", how: "" },
      { key: "r3/2", id: "r3", ship: "Kea", what: "fog", how: "2" },
    ]);
    expect(one.notices).toEqual(["One row of out is made of nothing any more, and stays since a person wrote in it: r1/2."]);
    one.parent.table.rows[2]!["note"] = "fog 2";
    await fill(one.parent);
    await fill(one.items());
    expect(one.out.rows.map(({ key }) => key)).toEqual(["r1/1", "r1/2", "mine", "r3/2"]);
  });

  it("are there again after the result is lost, as they were", async () => {
    await fill(one.items());
    const before = structuredClone(one.out.rows);
    one.out.rows.splice(0);
    await fill(one.items(), { refill: "stale" });
    expect(rows()).toEqual(before);
  });

  it("stay when a person makes the list unreadable, and say so", async () => {
    await fill(one.items());
    one.parent.table.rows[0]!["seen"] = "not a record";
    const report = await fill(one.items());
    expect(report).toMatchObject({ rows: 4, failed: 1 });
    expect(inWords(one.out.rows.map(({ key }) => key))).toEqual(["r1/1", "r1/2", "r3/1"]);
    expect(inWords((await survey(one.items())).reasons[0]!.reason)).toContain("`seen` has an item that is not a record");
  });

  it("hold a model's words so that no spreadsheet runs them", async () => {
    const [hostile] = [world(["=HYPERLINK(1) 3 | wet"])];
    await fill(hostile.parent);
    await fill(hostile.items());
    expect(hostile.out.rows[0]!["what"]).toMatch(/^'=HYPERLINK/);
    expect(await fill(hostile.items())).toMatchObject({ newEdits: 0, written: false });
    const grouped = await hostile.groups({ by: "seen", figures: { rows: { count: "all" } } });
    hostile.parent.table.rows[0]!["seen"] = "=1+1";
    await fill(grouped);
    expect((grouped as unknown as { out: MemoryTable }).out.rows).toEqual([{ seen: "'=1+1", rows: "1" }]);
    await fill(grouped);
    expect((grouped as unknown as { out: MemoryTable }).out.rows).toHaveLength(1);
  });

  it("are made of plain values, too", async () => {
    await fill(one.items({ column: "tags", carry: [] }));
    expect(rows()).toEqual([{ key: "r1/1", id: "r1", item: "wet" }]);
  });

  it.each([
    [{ column: "level" }, "`level` holds no list, but the kind score"],
    [{ column: "sen" }, "Did you mean `seen`?"],
    [{ carry: ["what"] }, "two columns would be named `what`"],
  ])("are refused where they cannot be made: %j", (source, told) => {
    expect(() => one.items(source)).toThrow(told);
  });
});

describe("rows made of groups", () => {
  let one: World;
  beforeEach(async () => {
    one = world(["rope 3 || 4", "oil 1 || 2", "fog 2 || 5", "", "rust 1 || 1"]);
    await fill(one.parent);
  });
  const filled = async (
    source: object,
    steps?: Record<string, SetStep>,
  ): Promise<{ report: Awaited<ReturnType<typeof fill>>; rows: Record<string, string>[] }> => {
    const setup = await one.groups(source, steps);
    return { report: await fill(setup), rows: (setup as unknown as { out: MemoryTable }).out.rows };
  };

  it("have figures that code computes, per group", async () => {
    const figures = {
      rows: { count: "all" },
      bad: { count: "row.level >= 4" },
      share: { share: "row.level >= 4" },
      ofAll: { shareOfTable: "row.level >= 4" },
      sum: { sum: "level" },
      mean: { mean: "level" },
      middle: { median: "level" },
      least: { min: "level" },
      last: { max: "day" },
      kinds: { distinct: "ship" },
      top: { top: "level", most: 2 },
      notes: { list: "note", by: "level", most: 1 },
      worst: { max: "level", where: "row.level < 5" },
    };
    expect((await filled({ by: "ship", when: "row.note != ''", figures })).rows).toEqual([
      {
        ship: "Kea",
        rows: "3",
        bad: "2",
        share: "0.6667",
        ofAll: "1",
        sum: "10",
        mean: "3.3333",
        middle: "4",
        least: "1",
        last: "2026-05-05",
        kinds: "1",
        top: "1 (1), 4 (1)",
        notes: "fog 2 || 5",
        worst: "4",
      },
      {
        ship: "Tui",
        rows: "1",
        bad: "0",
        share: "0",
        ofAll: "0",
        sum: "2",
        mean: "2",
        middle: "2",
        least: "2",
        last: "2026-05-02",
        kinds: "1",
        top: "2 (1)",
        notes: "oil 1 || 2",
        worst: "2",
      },
    ]);
  });

  it("are one for the whole table, where no column makes groups; steps read the figures", async () => {
    const { rows } = await filled(
      { figures: { rows: { count: "all" }, mean: { mean: "level" } } },
      { line: { set: { line: "{{ row.rows }} rows, {{ row.mean }}" } } },
    );
    expect(rows).toEqual([{ group: "all rows", rows: "5", mean: "3", line: "5 rows, 3" }]);
  });

  it("are renewed when the rows change, and go when nothing makes them", async () => {
    const setup = await one.groups({ by: "ship", when: "row.level >= 2", figures: { rows: { count: "all" } } });
    const { out } = setup as unknown as { out: MemoryTable };
    await fill(setup);
    expect(out.rows).toEqual([
      { ship: "Kea", rows: "2" },
      { ship: "Tui", rows: "1" },
    ]);
    one.parent.table.rows[1]!["note"] = "oil 1 || 1";
    one.parent.table.rows[4]!["note"] = "rust || 3";
    await fill(one.parent);
    await fill(setup);
    expect(out.rows).toEqual([{ ship: "Kea", rows: "3" }]);
    expect(await fill(setup)).toMatchObject({ written: false, filled: 1 });
  });

  it("say which row spoils a figure, instead of leaving it out", async () => {
    const { report, rows } = await filled({ by: "ship", figures: { sum: { sum: "note" } } });
    expect(report).toMatchObject({ rows: 2, failed: 2 });
    expect(rows).toEqual([]);
    const spoilt = await one.groups({ by: "ship", figures: { sum: { sum: "note" } } });
    expect(inWords((await survey(spoilt)).reasons.map(({ reason }) => reason))).toEqual([
      "row 1: `note` is no number, which `sum` needs",
      "row 2: `note` is no number, which `sum` needs",
    ]);
  });

  it("have no share of the table where a row of any group cannot count", async () => {
    one.parent.table.rows[0]!["day"] = "03/04/2026";
    expect((await filled({ by: "ship", figures: { last: { max: "day" } } })).report).toMatchObject({ filled: 1, failed: 1 });
    expect(
      (await filled({ by: "ship", figures: { last: { max: "day" }, share: { shareOfTable: "row.level > 0" } } })).report,
    ).toMatchObject({ filled: 0, failed: 2 });
  });

  it("stay when a row spoils them later", async () => {
    const setup = await one.groups({ by: "ship", figures: { last: { max: "day" } } });
    const { out } = setup as unknown as { out: MemoryTable };
    await fill(setup);
    one.parent.table.rows[0]!["day"] = "03/04/2026";
    await fill(one.parent);
    expect(await fill(setup)).toMatchObject({ failed: 1, filled: 1 });
    expect(out.rows).toEqual([
      { ship: "Kea", last: "2026-05-05" },
      { ship: "Tui", last: "2026-05-04" },
    ]);
  });

  it("have figures that conditions of a command see as numbers", async () => {
    const setup = await one.groups({ by: "ship", figures: { rows: { count: "all" }, last: { max: "day" } } });
    expect(await fill(setup, { where: 'row.rows > 2 && row.last > "2026"' })).toMatchObject({ rows: 1, filled: 1 });
  });

  it("put blank values into a group of their own", async () => {
    one.parent.table.rows[0]!["ship"] = " ";
    expect((await filled({ by: ["ship"], figures: { rows: { count: "all" } } })).rows).toEqual([
      { ship: "(blank)", rows: "1" },
      { ship: "Tui", rows: "2" },
      { ship: "Kea", rows: "2" },
    ]);
  });

  it.each([
    [{ by: "shipp", figures: { rows: { count: "all" } } }, "`by` reads the column `shipp`, which is not there. Did you mean `ship`?"],
    [{ figures: { bad: { count: "row.levl > 3" } } }, "`bad` reads the column `levl`"],
    [{ by: "ship", figures: { ship: { count: "all" } } }, "a figure cannot be named `ship`"],
    [{ figures: { rows: { count: "row.level >" } } }, "cannot be read as CEL"],
    [{ figures: { rows: { count: "all", sum: "level" } } }, "A figure is exactly one of"],
    [{ figures: { rows: { sum: "level", most: 3 } } }, "`most` belongs to"],
  ])("are refused where they cannot be made: %j", async (source, told) => {
    await expect(one.groups(source)).rejects.toThrow(told);
  });

  it("agree with the plain definitions, whatever the numbers are", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -1000, max: 1000 }), { minLength: 1, maxLength: 40 }),
        fc.integer({ min: 1, max: 5 }),
        (numbers, most) => {
          const of = (source: object): unknown => {
            const figure = readyFigure("x", source as never);
            const [own, all] = [figure.start(), figure.start()];
            for (const n of numbers) for (const counter of [own, all]) counter.add({ n, name: `v${n}` } satisfies FigureRow);
            return own.value(all);
          };
          const sorted = numbers.toSorted((a, b) => a - b);
          expect(of({ sum: "n" })).toBe(numbers.reduce((a, b) => a + b, 0));
          expect(of({ min: "n" })).toBe(sorted[0]);
          expect(of({ max: "n" })).toBe(sorted.at(-1));
          expect(of({ distinct: "n" })).toBe(new Set(numbers).size);
          expect(of({ count: "row.n > 0" })).toBe(numbers.filter((n) => n > 0).length);
          expect(
            String(of({ list: "name", by: "n", most }))
              .split("\n")
              .slice(0, Math.min(most, numbers.length)),
          ).toEqual(
            sorted
              .toReversed()
              .slice(0, most)
              .map((n) => `v${n}`),
          );
        },
      ),
    );
  });
});
