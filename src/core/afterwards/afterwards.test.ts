import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel } from "../../../tests/helpers/models.js";
import { seenRows, workOf, writeTable, type FillSetup } from "../cells/index.js";
import { derivedTable } from "../derive/index.js";
import { fill } from "../fill/index.js";
import type { YoroshiError } from "../ground/index.js";
import { memoryLedger, type NoticeRecord } from "../ledger/index.js";
import { plan as makePlan, withAfterStep, type AfterRule, type Plan, type PlanShape } from "../plan/index.js";
import { memoryTable, type MemoryTable } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { followRules, type Followed, type FollowOptions } from "./follow.js";
import { appendedRows, keepOtherWritten, otherTables } from "./other-tables.js";
import { deliverNotices } from "./outbox.js";
import { noteRules } from "./rule-times.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "{{ note }}",
  answer: { level: { kind: "score", from: 1, to: 5 } },
});

interface World extends FillSetup {
  readonly table: MemoryTable;
}

/** A table whose levels are the last digit of what stands in `text`. */
function world(rows: Record<string, string>[], afterwards: PlanShape["afterwards"], more: Partial<PlanShape> = {}): World {
  const plan = makePlan({
    name: "p",
    table: { file: "t.csv", key: "id" },
    steps: { sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level" } } },
    ...more,
    afterwards,
  });
  return {
    plan,
    table: memoryTable(rows, { key: "id" }),
    asking: {
      sort: {
        prepared: prepare(sort) as never,
        version: 1,
        model: scriptedModel((request) => JSON.stringify({ level: Number(/\d/.exec(fenced(request, "note"))?.[0] ?? 1) })),
      },
    },
    ledger: memoryLedger(),
    clock: fakeClock(),
  };
}

/** A fill with what its rules do, and what they set written. */
async function round(one: World, options: Partial<FollowOptions> = {}): Promise<Followed> {
  await noteRules(one);
  const { run } = await fill(one);
  const followed = await followRules(one, { run, ...options });
  if (followed.changesHere) await writeTable(workOf(one), run, true);
  // Time passes from one to the next.
  await one.clock.sleep(1_000);
  return followed;
}

const rowOf = ({ table }: World, id: string): Record<string, string> =>
  table.rows.find((row) => row["id"] === id)! as Record<string, string>;
const change = (one: World, id: string, values: Record<string, string>): void => void Object.assign(rowOf(one, id), values);
const noticesOf = async ({ ledger }: World): Promise<NoticeRecord[]> => (await ledger.afterwards.waiting("p", 100)) as NoticeRecord[];
const three = (): Record<string, string>[] => [
  { id: "a", text: "level 5", stage: "new" },
  { id: "b", text: "level 2", stage: "new" },
  { id: "c", text: "", stage: "new" },
];

describe("rules that set columns", () => {
  const staged: AfterRule[] = [
    { when: "row.level >= 4", set: { stage: "urgent" } },
    { when: "row.level < 4", set: { stage: "logged", was: { cel: "string(before.level)" } } },
  ];

  it("write over what stood there, in the rows whose values stand, and say of the others why not", async () => {
    const one = world(three(), staged);
    await round(one);
    expect(one.table.rows.map(({ stage }) => stage)).toEqual(["urgent", "logged", "new"]);
    const [, , [, cell]] = (await allCells(one)) as never as [unknown, unknown, { column: string; state: string }[]];
    expect(cell).toMatchObject({ column: "stage", state: "skipped" });
  });

  it("act again only when what decides has changed, with what stood before", async () => {
    const one = world(three(), staged);
    await round(one);
    expect(counts(await round(one), "set")).toEqual([0, 0]);
    change(one, "a", { text: "level 3" });
    expect(counts(await round(one), "set")).toEqual([0, 1]);
    expect(rowOf(one, "a")).toMatchObject({ stage: "logged", was: "5" });
  });

  it("leave a person's value alone", async () => {
    const one = world(three(), staged);
    await round(one);
    change(one, "a", { stage: "mine" });
    change(one, "a", { text: "level 3" });
    await round(one);
    expect(rowOf(one, "a")["stage"]).toBe("mine");
  });

  it("see what rules before them set, and are not started by what they set themselves", async () => {
    const one = world(three(), [
      { when: 'row.stage == "new" && row.level >= 4', set: { stage: "urgent" } },
      { when: 'row.stage == "urgent"', set: { list: "yes" } },
      { when: 'row.stage != "x"', notify: { url: "https://hooks.example/x", send: ["stage"] } },
    ]);
    await round(one);
    expect(rowOf(one, "a")).toMatchObject({ stage: "urgent", list: "yes" });
    expect((await noticesOf(one)).map(({ key, columns }) => [key, columns["stage"]])).toEqual([
      ["a", "urgent"],
      ["b", "new"],
      ["c", "new"],
    ]);
    expect(counts(await round(one), "messages")).toEqual([0, 0, 0]);
  });

  it("wait while a value is held, and go on when it is decided", async () => {
    const one = world(three(), staged, { review: { hold: { grave: "row.level >= 4" } } });
    const followed = await round(one);
    expect(Object.values(followed.rules).map(({ waits }) => waits)).toEqual([1, 1]);
    expect(rowOf(one, "a")["stage"]).toBe("new");
  });
});

describe("the first rule that holds", () => {
  const shape = {
    first: true,
    rules: [
      { when: "row.level >= 4", set: { list: "A" } },
      { when: "row.level >= 2", set: { list: "B" } },
    ],
    otherwise: { set: { list: "C" } },
  };

  it("acts alone; what none holds for goes to `otherwise`", async () => {
    const one = world([...three(), { id: "d", text: "level 1", stage: "" }], shape);
    await round(one);
    expect(one.table.rows.map(({ list }) => list ?? "")).toEqual(["A", "B", "C", "C"]);
  });

  it("gives way when it holds no more", async () => {
    const one = world(three(), shape);
    await round(one);
    change(one, "a", { text: "level 1" });
    await round(one);
    expect(rowOf(one, "a")["list"]).toBe("C");
  });
});

describe("rows that rules append", () => {
  const listed: AfterRule[] = [
    {
      name: "urgent",
      when: "row.level >= 4",
      append: { table: { file: "urgent.csv", key: "id" }, set: { id: "row.id", level: "row.level" } },
    },
  ];
  const listOf = async (one: World): Promise<string[]> => {
    const [other] = otherTables(one.plan);
    const keys: string[] = [];
    for await (const { rows } of appendedRows(one.ledger, one.plan, other!).rows())
      for (const { values } of rows) keys.push(Object.values(values).join());
    return keys;
  };

  it("are there as long as the rule holds, follow their row, and go with it", async () => {
    const one = world(three(), listed);
    await round(one);
    expect(await listOf(one)).toEqual(["a,5"]);
    change(one, "a", { text: "level 4" });
    change(one, "b", { text: "level 4" });
    await round(one);
    expect(await listOf(one)).toEqual(["a,4", "b,4"]);
    change(one, "a", { text: "level 1" });
    one.table.rows.splice(1, 1);
    expect(counts(await round(one), "takenOff")).toEqual([2]);
    expect(await listOf(one)).toEqual([]);
  });

  it("come back with their row, and other rules do not act on it again", async () => {
    const one = world(three(), [...listed, { when: "row.level >= 4", notify: { url: "https://hooks.example/x", send: ["level"] } }]);
    await round(one);
    const [row] = one.table.rows.splice(0, 1);
    await round(one);
    expect(await listOf(one)).toEqual([]);
    one.table.rows.unshift(row!);
    await round(one);
    expect(await listOf(one)).toEqual(["a,5"]);
    expect(await noticesOf(one)).toHaveLength(1);
  });

  it("go with their row where they are nothing but its key, and leave a person's row of such a table alone", async () => {
    const one = world(three(), [{ when: "row.level >= 4", append: { table: { file: "urgent.csv", key: "id" }, set: { id: "row.id" } } }]);
    const out = memoryTable([{ id: "z" }], { key: "id", name: "urgent" });
    const write = async (): Promise<string[]> => {
      const [other] = otherTables(one.plan);
      const made = appendedRows(one.ledger, one.plan, other!);
      const plan: Plan = { name: other!.name, table: other!.source, steps: { rows: { set: {} } }, limits: {}, refill: "stale" };
      await fill({ ...one, plan, asking: {}, table: derivedTable(made, out) });
      await keepOtherWritten(one.ledger, other!.name, one.clock.now());
      return out.rows.map(({ id }) => id!);
    };
    await round(one);
    expect(await write()).toEqual(["z", "a"]);
    change(one, "a", { text: "level 1" });
    await round(one);
    expect(await write()).toEqual(["z"]);
    // What a person puts there afterwards is theirs.
    out.rows.push({ id: "a" });
    change(one, "b", { text: "level 5" });
    await round(one);
    expect(await write()).toEqual(["z", "a", "b"]);
  });

  it("stand in a table of their own beside a person's rows", async () => {
    const one = world(three(), listed);
    await round(one);
    const out = memoryTable([{ id: "z", level: "9" }], { key: "id" });
    const [other] = otherTables(one.plan);
    const made = appendedRows(one.ledger, one.plan, other!);
    const plan: Plan = {
      name: other!.name,
      table: other!.source,
      steps: { rows: { set: { level: { own: { name: "level", freeText: false } } } } },
      limits: {},
      refill: "stale",
    };
    await fill({ ...one, plan, asking: {}, table: derivedTable(made, out) });
    expect(out.rows.map(({ id, level }) => [id, level])).toEqual([
      ["z", "9"],
      ["a", "5"],
    ]);
  });
});

describe("causes", () => {
  const tell: AfterRule[] = [{ when: "before.level != row.level", notify: { url: "https://hooks.example/x", send: ["level"] } }];
  const bare = (one: World): World => ({ ...one, plan: { ...one.plan, afterwards: undefined } });

  it("are not what was filled before the rule was there, unless that is said", async () => {
    const one = world(three(), tell);
    await fill(bare(one));
    await one.clock.sleep(1_000);
    await round(one);
    expect(await noticesOf(one)).toEqual([]);
    change(one, "b", { text: "level 3" });
    await round(one);
    expect((await noticesOf(one)).map(({ key }) => key)).toEqual(["b"]);

    const other = world(three(), tell);
    await fill(bare(other));
    await other.clock.sleep(1_000);
    await round(other, { fromStart: true });
    await round(other, { fromStart: true });
    expect((await noticesOf(other)).map(({ key }) => key)).toEqual(["a", "b"]);
  });

  it("are kept for the next time beyond the limit of actions", async () => {
    const one = world(three(), tell);
    expect((await round(one, { actions: 1 })).postponed).toBe(1);
    await round(one);
    expect((await noticesOf(one)).map(({ key }) => key)).toEqual(["a", "b"]);
  });

  it("are told where a rule cannot be decided", async () => {
    const one = world(three(), [{ when: "row.stage > 3", set: { list: "A" } }]);
    const [tally] = Object.values((await round(one)).rules);
    expect(tally).toMatchObject({ unclear: 3, set: 0 });
    expect(tally!.problems[0]).toMatch(/double\(row/);
  });
});

describe("messages", () => {
  const tell: AfterRule[] = [{ when: "row.level > 1", notify: { url: "https://hooks.example/x", send: ["level"] } }];

  it("are sent once, and wait as long as their receiver is down", async () => {
    const one = world(three(), tell);
    await round(one);
    const got: string[] = [];
    let isUp = false;
    const send = async (_to: unknown, { id, key }: NoticeRecord): Promise<string | undefined> => {
      if (!isUp) return "it answered 500";
      got.push(`${key} ${id}`);
      return undefined;
    };
    expect(await deliverNotices(one, send)).toMatchObject({ sent: 0, waiting: 2, problems: [{ problem: "it answered 500", messages: 2 }] });
    isUp = true;
    expect(await deliverNotices(one, send)).toEqual({ sent: 2, waiting: 0, problems: [] });
    expect(await deliverNotices(one, send)).toEqual({ sent: 0, waiting: 0, problems: [] });
    expect(new Set(got.map((line) => line[0]))).toEqual(new Set(["a", "b"]));
  });

  it("go out under the same id after a process that ended before it heard of it", async () => {
    const one = world(three(), tell);
    await round(one);
    const ids: string[] = [];
    const dies = async (_to: unknown, { id }: NoticeRecord): Promise<never> => {
      ids.push(id);
      throw new Error("the process ends");
    };
    await expect(deliverNotices(one, dies)).rejects.toThrow("the process ends");
    const again: string[] = [];
    await deliverNotices(one, async (_to, { id }) => void again.push(id) as undefined);
    expect([...again].sort()).toEqual([...new Set(ids)].sort());
  });
});

describe("steps that rules ask for", () => {
  it("are done for these rows alone, in the next run over the table", async () => {
    const steps: PlanShape["steps"] = {
      sort: { template: "sort", inputs: { note: "text" }, fill: { level: "level" } },
      again: { template: "sort", inputs: { note: "text" }, fill: { second: "level" } },
    };
    const one = world(three(), [{ when: "row.level >= 4", step: "again" }], { steps });
    const two = { ...one, asking: { ...one.asking, again: one.asking["sort"]! } };
    await noteRules(two);
    const first = await fill(two);
    expect(first.steps["again"]).toMatchObject({ asked: 0, skipped: 3 });
    expect((await followRules(two, { run: first.run })).steps).toEqual(["again"]);
    const then = await fill(two, { columns: ["second"] });
    expect(then.steps["again"]).toMatchObject({ filled: 1, skipped: 2 });
    expect(one.table.rows.map(({ second }) => second ?? "")).toEqual(["5", "", ""]);
  });
});

describe("rules that cannot work", () => {
  const made = (afterwards: unknown): string[] => {
    try {
      world(three(), afterwards as never);
      return [];
    } catch (error) {
      return (error as YoroshiError).message.split("\n").slice(1);
    }
  };

  it("are told with their place", async () => {
    expect(made([{ when: "row.level >=", set: { stage: "x" } }])[0]).toMatch(/afterwards\.0\.when/);
    expect(made([{ when: "true" }])[0]).toMatch(/A rule does something/);
    expect(made({ rules: [{ set: { x: "{{ row.level" } }] })[0]).toMatch(/`x` cannot be made/);
    expect(made({ rules: [{ set: { x: "y" } }], otherwise: { set: { x: "z" } } })[0]).toMatch(/first: true/);
    const bad: [AfterRule, RegExp][] = [
      [{ set: { level: "1" } }, /filled by `sort` and by `a rule`/],
      [{ set: { text: "x" } }, /start itself again/],
      [{ set: { id: "x" } }, /is the key/],
      [{ append: { table: { file: "u.csv", key: "id" }, set: { level: "row.level" } } }, /`id` is missing/],
      [{ append: { table: { file: "t.csv", key: "id" }, set: { id: "row.id" } } }, /own table/],
      [{ when: "row.nobody == 1", set: { x: "y" } }, /no column `nobody`/],
      [{ step: "sorting" }, /Did you mean `sort`/],
      [{ when: "row.level > 2", step: "sort" }, /start itself again/],
      [{ notify: { url: "hooks", send: ["level"] } }, /Expected an address/],
    ];
    for (const [rule, expected] of bad) await expect(fill(world(three(), [rule])), JSON.stringify(rule)).rejects.toThrow(expected);
  });
});

const counts = ({ rules }: Followed, figure: "set" | "messages" | "takenOff"): number[] =>
  Object.values(rules).map((tally) => tally[figure]);

async function allCells(one: World): Promise<unknown[]> {
  const all: unknown[] = [];
  for await (const rows of seenRows({ ...one, plan: withAfterStep(one.plan) })) for (const { cells } of rows) all.push(cells);
  return all;
}
