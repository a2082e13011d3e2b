import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { explainCells, type FillSetup, survey } from "../cells/index.js";
import { dayOf, memoryLedger, monthStart } from "../ledger/index.js";
import { ModelFailure } from "../model/index.js";
import { orderSteps, plan as makePlan } from "../plan/index.js";
import { memoryTable, type MemoryTable, type Table } from "../table/index.js";
import { prepare, template } from "../template/index.js";
import { fill } from "./fill.js";
import { preview } from "./preview.js";

const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "Sort: {{ note }}",
  answer: { topic: { kind: "choice", options: ["fire", "spill"] }, level: { kind: "score", from: 1, to: 5 }, urgent: { kind: "yesNo" } },
});
const act = template({
  name: "act",
  inputs: { note: { kind: "text" }, topic: { kind: "text" } },
  task: "Act: {{ note }} {{ topic }}",
  answer: { action: { kind: "text" } },
});
const steps = {
  // Written in the wrong order on purpose.
  headline: {
    set: { headline: "{{ row.topic | upcase }}: {{ row.action }}", points: { cel: "row.level * 2.0" } },
    when: "row.action != ''",
  },
  act: { template: "act", fill: { action: "action" }, when: "row.level >= 4 && row.urgent == true" },
  sort: { template: "sort", fill: { topic: "topic", level: "level", urgent: "urgent" } },
};
const plan = makePlan({ name: "log", table: { file: "t.csv", key: "id" }, steps, limits: { atOnce: 4 } });

const sorter = (options = {}): ScriptedModel =>
  scriptedModel(
    (request) => {
      const note = fenced(request, "note");
      if (note.includes("?")) return "nonsense";
      return JSON.stringify({ topic: note.includes("smoke") ? "fire" : "spill", level: note.includes("!") ? 5 : 2, urgent: true });
    },
    { id: "sorter", ...options },
  );
const actor = (options = {}): ScriptedModel =>
  scriptedModel((request) => JSON.stringify({ action: `=call about ${fenced(request, "topic")}` }), { id: "actor", ...options });

interface World extends FillSetup {
  readonly table: MemoryTable;
  readonly sorter: ScriptedModel;
  readonly actor: ScriptedModel;
}
const world = (notes: readonly string[], models = { sorter: sorter(), actor: actor() }): World => ({
  plan,
  table: memoryTable(
    notes.map((note, index) => ({ id: `r${index + 1}`, note })),
    { key: "id" },
  ),
  asking: {
    sort: { prepared: prepare(sort) as never, version: 1, model: models.sorter },
    act: { prepared: prepare(act) as never, version: 1, model: models.actor },
  },
  ledger: memoryLedger(),
  clock: fakeClock(),
  ...models,
});

describe("a plan of several steps", () => {
  it("does each when what it needs is there, hands values on typed, and makes plain columns", async () => {
    const one = world(["smoke!", "oil", "oil!"]);
    const report = await fill(one);
    expect(report).toMatchObject({ rows: 3, asked: 5, filled: 7, skipped: 2, failed: 0, end: "done" });
    expect(Object.keys(report.steps)).toEqual(["sort", "act", "headline"]);
    expect(report.steps["act"]).toMatchObject({ rows: 3, asked: 2, filled: 2, skipped: 1 });
    expect(one.table.rows).toEqual([
      {
        id: "r1",
        note: "smoke!",
        topic: "fire",
        level: "5",
        urgent: "yes",
        action: "'=call about fire",
        headline: "FIRE: =call about fire",
        points: "10",
      },
      { id: "r2", note: "oil", topic: "spill", level: "2", urgent: "yes", action: "", headline: "", points: "" },
      {
        id: "r3",
        note: "oil!",
        topic: "spill",
        level: "5",
        urgent: "yes",
        action: "'=call about spill",
        headline: "SPILL: =call about spill",
        points: "10",
      },
    ]);
    expect(await fill(one)).toMatchObject({ asked: 0, filled: 7, spent: 0, written: false });
    expect((await survey(one)).columns).toMatchObject({
      topic: { filled: 3 },
      action: { filled: 2, skipped: 1 },
      headline: { filled: 2, skipped: 1 },
    });
  });

  it("does a later step for a row while an earlier one still waits for another row", async () => {
    const order: string[] = [];
    let letGo: () => void = () => undefined;
    const slow = new Promise<void>((resolve) => (letGo = resolve));
    const models = {
      sorter: scriptedModel(async (request) => {
        if (fenced(request, "note").includes("slow")) await slow;
        order.push(`sort ${fenced(request, "note")}`);
        return JSON.stringify({ topic: "fire", level: 5, urgent: true });
      }),
      actor: scriptedModel((request) => {
        order.push(`act ${fenced(request, "note")}`);
        if (fenced(request, "note") === "quick") letGo();
        return '{"action":"x"}';
      }),
    };
    await fill(world(["slow", "quick"], models));
    expect(order).toEqual(["sort quick", "act quick", "sort slow", "act slow"]);
  });

  it("asks later steps again only where what they read has changed, by a person too, and says what changed", async () => {
    const one = world(["smoke!", "oil!"]);
    await fill(one);
    one.table.rows[0]!["topic"] = "spill"; // a person knows better
    const before = await survey(one);
    expect(inWords(before.reasons)).toEqual(
      expect.arrayContaining([expect.objectContaining({ state: "stale", reason: "the input `topic` has changed", keys: ["r1"] })]),
    );
    expect(await fill(one)).toMatchObject({ asked: 1, steps: { act: { asked: 1 }, sort: { asked: 0, edited: 0, filled: 2 } } });
    expect(one.table.rows[0]).toMatchObject({ topic: "spill", action: "'=call about spill", headline: "SPILL: =call about spill" });
    const changed = {
      ...one,
      asking: {
        ...one.asking,
        act: {
          ...one.asking["act"]!,
          version: 2,
          prepared: prepare({ ...act, task: "Do: {{ note }} {{ topic }}" } as typeof act) as never,
        },
      },
    };
    expect(inWords((await survey(changed)).reasons[0])).toMatchObject({
      state: "stale",
      reason: "the template has changed (version 1 then, 2 now)",
      rows: 2,
    });
    const [explained] = await explainCells(changed, "r1", "action");
    expect(inWords(explained)).toMatchObject({
      step: "act",
      columns: ["action"],
      state: "stale",
      reason: "the template has changed (version 1 then, 2 now)",
      same: false,
    });
    expect((await explainCells(one, "r1", "action"))[0]).toMatchObject({ state: "filled", same: true });
    expect(await explainCells(one, "r2")).toHaveLength(3);
  });

  it("leaves what depends on a row that got no answer, and says of every cell why", async () => {
    const one = world(["?", "smoke!"]);
    expect(await fill(one)).toMatchObject({ failed: 1, steps: { sort: { failed: 1, filled: 1 }, act: { filled: 1, skipped: 1 } } });
    expect(one.table.rows[0]).toMatchObject({ topic: "", action: "", headline: "" });
    const { reasons } = await survey(one);
    expect(reasons.map(({ state, keys }) => `${state} ${keys.join()}`)).toEqual(expect.arrayContaining(["failed r1"]));
  });

  it("counts a row once against the limit of rows, whatever its steps ask", async () => {
    const one = world(["smoke!", "oil!", "fire!"]);
    expect(await fill(one, { rows: 2 })).toMatchObject({
      end: "rowLimit",
      asked: 4,
      blank: 3,
      steps: { sort: { asked: 2, blank: 1 }, act: { asked: 2, blank: 1 }, headline: { blank: 1 } },
    });
    expect(await fill(one)).toMatchObject({ end: "done", asked: 2, blank: 0 });
  });

  it("keeps one cap over all models, and needs a price of each", async () => {
    const one = world(["smoke!", "oil!", "fire!", "soot!"]);
    const report = await fill(one, { spendCap: 1_500 });
    expect(report.end).toBe("spendCap");
    expect(report.spent).toBeLessThanOrEqual(2_000);
    expect(report.filled + report.blank).toBe(12);
    await expect(fill(world(["a"], { sorter: sorter(), actor: actor({ price: undefined }) }), { spendCap: 10 })).rejects.toThrow(
      "the model actor has no price",
    );
  });

  it("keeps the month's cap over all runs, those of other processes included, and charges steps and models apart", async () => {
    const one = { ...world(["smoke!", "oil!", "fire!", "soot!"]), monthlyCap: 92_000 };
    const before = {
      run: "other",
      step: "",
      model: "m",
      day: dayOf(one.clock.now()),
      requests: 1,
      tokensIn: 0,
      tokensOut: 0,
      spent: 90_000,
      unsure: 0,
    };
    await one.ledger.record({ charges: [before, { ...before, day: before.day - 40, spent: 10_000_000 }] });
    const report = await fill(one);
    expect(report.end).toBe("spendCap");
    expect(report.spent).toBeLessThanOrEqual(2_000);
    expect(await one.ledger.charges.since(monthStart(one.clock.now()))).toBe(90_000 + report.spent);
    expect(await one.ledger.charges.of("log")).toEqual(
      expect.arrayContaining([expect.objectContaining({ model: "sorter", step: "sort", spent: report.steps["sort"]!.spent })]),
    );
    // Fills that go on together reserve what they may spend, so that they do not pass the cap together either.
    const notes = (about: string) => Array.from({ length: 40 }, (_, index) => `${about}! ${index}`);
    const [two, three] = ["smoke", "oil"].map((about) => ({
      ...world(notes(about)),
      ledger: one.ledger,
      monthlyCap: 105_000,
      plan: makePlan({ ...plan, name: about }),
    }));
    const reports = await Promise.all([fill(two!), fill(three!)]);
    expect(reports.map(({ end }) => end)).toEqual(["spendCap", "spendCap"]);
    expect(reports.every(({ asked }) => asked > 0)).toBe(true);
    const charged = await one.ledger.charges.since(monthStart(one.clock.now()));
    expect(charged).toBeLessThanOrEqual(105_000);
    expect(charged).toBeGreaterThan(102_000);
  });

  it("previews what it can know, and says of how many rows it cannot", async () => {
    const one = world(["smoke!", "oil", "oil!"]);
    expect(await preview(one, {}, (text) => text.length)).toMatchObject({
      rows: 3,
      unknown: 3,
      steps: { sort: { asked: 3 }, act: { asked: 3 } },
    });
    await fill(one);
    expect(await preview(one, {}, (text) => text.length)).toMatchObject({
      unknown: 0,
      asked: 0,
      steps: { act: { reused: 2, skipped: 1 } },
    });
  });

  it("never passes a limit, and every row ends in exactly one state of every step, whatever the rows, limits and failures", async () => {
    const notes = fc.array(fc.constantFrom("smoke!", "oil", "oil!", "?", "", "soot!", "smoke! again"), { maxLength: 25 });
    await fc.assert(
      fc.asyncProperty(
        notes,
        fc.integer({ min: 1, max: 6 }),
        fc.option(fc.integer({ min: 0, max: 12 })),
        fc.option(fc.integer({ min: 0, max: 12_000 })),
        fc.nat(7),
        async (texts, atOnce, rows, cap, failing) => {
          let calls = 0;
          const flaky = (own: ScriptedModel): ScriptedModel =>
            scriptedModel(
              async (request) => {
                if (++calls % 9 === failing) throw new ModelFailure("server", "the host failed");
                return own.ask(request);
              },
              { id: own.id },
            );
          const one = {
            ...world(texts, { sorter: flaky(sorter()), actor: flaky(actor()) }),
            plan: makePlan({ ...plan, limits: { atOnce } }),
          };
          const report = await fill(one, { ...(rows === null ? {} : { rows }), ...(cap === null ? {} : { spendCap: cap }) });
          for (const tally of Object.values(report.steps)) {
            expect(tally.rows).toBe(texts.length);
            expect(tally.filled + tally.skipped + tally.held + tally.failed + tally.edited + tally.stale + tally.blank).toBe(texts.length);
          }
          expect(one.sorter.mostAtOnce + one.actor.mostAtOnce).toBeLessThanOrEqual(2 * atOnce);
          if (cap !== null) expect(report.spent + report.unsure).toBeLessThanOrEqual(cap);
          if (rows !== null) expect(report.steps["sort"]!.asked).toBeLessThanOrEqual(rows);
          expect(await one.ledger.charges.since(0)).toBe(report.spent + report.unsure);
        },
      ),
      { numRuns: 60 },
    );
  });

  it("is put in order whatever order it is written in, or the circle is shown", () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(6), fc.nat(6)), { maxLength: 12 }), (edges) => {
        const own = Object.fromEntries(
          Array.from({ length: 7 }, (_, index) => [
            `s${index}`,
            {
              set: {
                [`c${index}`]: edges
                  .filter(([, to]) => to === index)
                  .map(([from]) => (from === index ? "" : `{{ row.c${from} }}`))
                  .join(" "),
              },
            },
          ]),
        );
        const result = orderSteps({ steps: own }, {});
        if ("order" in result) {
          expect(result.order.steps.toSorted()).toEqual(Object.keys(own).toSorted());
          for (const [index, step] of result.order.steps.entries())
            for (const need of result.order.needs[step]!) expect(result.order.steps.indexOf(need)).toBeLessThan(index);
        } else {
          const names = result.cycle.map(({ step }) => step);
          expect(new Set(names).size).toBe(names.length);
          for (const [index, { step, column }] of result.cycle.entries()) {
            expect(Object.values(own[step]!.set)[0]).toContain(`{{ row.${column} }}`);
            expect(column).toBe(`c${names[(index + 1) % names.length]!.slice(1)}`);
          }
        }
      }),
    );
  });
});

describe("a table that others change while it is filled", () => {
  /** Like a database: no marks, and what stands now is told while it is written. */
  const live = (table: MemoryTable, meanwhile: () => void = () => undefined): Table => ({
    ...table,
    asWritten: (column, value) => table.asWritten(column, value),
    sourceMark: async () => undefined,
    standingMark: async () => undefined,
    write: async (columns, cellsOf) => {
      meanwhile();
      const standing = table.rows.map((row) => ({
        key: row["id"]!,
        values: Object.fromEntries(columns.flatMap(({ name }) => (row[name] === undefined ? [] : [[name, row[name]]]))),
      }));
      const cells = await cellsOf(
        standing.map((row) => row.key),
        standing,
      );
      table.rows.forEach((row, index) => {
        for (const { name, ...column } of columns) {
          const cell = cells[index]?.[name];
          if (cell !== undefined) row[name] = typeof cell === "object" ? cell.asIs : table.asWritten({ name, ...column }, cell);
        }
      });
      return undefined;
    },
  });

  it("keeps what a person wrote between the first look and the writing", async () => {
    const one = world(["smoke!", "oil!"]);
    await fill({ ...one, table: live(one.table) });
    const again = {
      ...one,
      asking: {
        ...one.asking,
        sort: { ...one.asking["sort"]!, prepared: prepare({ ...sort, task: "Anew: {{ note }}" } as typeof sort) as never },
      },
    };
    const report = await fill({ ...again, table: live(one.table, () => (one.table.rows[1]!["topic"] = "mine")) });
    expect(report.newEdits).toBe(1);
    expect(one.table.rows.map((row) => row["topic"])).toEqual(["fire", "mine"]);
    expect(await fill({ ...again, table: live(one.table) })).toMatchObject({ newEdits: 0 });
    expect(one.table.rows[1]!["topic"]).toBe("mine");
    // Named in the command, it is written over.
    await fill({ ...again, table: live(one.table) }, { overwrite: ["topic"], refill: "all" });
    expect(one.table.rows[1]!["topic"]).toBe("spill");
  });

  it("does not take for a person's what was answered anew and never written, because the run broke off", async () => {
    const one = world(["smoke!"]);
    await fill({ ...one, table: live(one.table) });
    const louder = scriptedModel(() => JSON.stringify({ topic: "spill", level: 1, urgent: false }), { id: "louder" });
    const again = { ...one, asking: { ...one.asking, sort: { ...one.asking["sort"]!, model: louder } } };
    const broken = { ...live(one.table), write: () => Promise.reject(new Error("gone")) };
    await expect(fill({ ...again, table: broken })).rejects.toThrow("gone");
    expect(one.table.rows[0]!["topic"]).toBe("fire");
    expect(await fill({ ...again, table: live(one.table) })).toMatchObject({ newEdits: 0, asked: 0 });
    expect(one.table.rows[0]).toMatchObject({ topic: "spill", level: "1" });
  });
});
