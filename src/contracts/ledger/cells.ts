import { remark, type CellRecord } from "../../core/index.js";
import { expectSame, expectThat } from "../check.js";
import { mark, cell, allOf, type LedgerCases } from "./made.js";

export const CELLS: LedgerCases = {
  async "keeps cells by plan, step and key"(ledger) {
    const odd = cell("ключ \"'\n", {
      state: "failed",
      reason: remark("notRenewed", { because: remark("inputBlank", { input: '{"code":' }) }),
      fingerprint: undefined,
      values: {},
      edited: { tone: "mine" },
      notes: [remark("ruled", { rule: 1 })],
    });
    await ledger.record({ cells: [cell("a"), odd, cell("b")] });
    await ledger.record({ cells: [cell("a", { plan: "other", state: "skipped" })] });
    const found = await ledger.cells.find("p", "s", ["a", odd.key, "zzz"]);
    expectSame(
      "cells",
      found,
      new Map([
        ["a", cell("a")],
        [odd.key, odd],
      ]),
    );
    expectSame("cells of a step that has none", (await ledger.cells.find("p", "nope", ["a"])).size, 0);
  },

  async "knows whose cells were recorded since"(ledger) {
    await ledger.record({ cells: [cell("a", { at: 5 }), cell("b", { at: 7 }), cell("c", { at: 9, plan: "q" })] });
    expectSame("since a moment", await ledger.cells.changedSince("p", "s", 7), ["b"]);
    expectSame("of all", (await ledger.cells.changedSince("p", "s", 0)).sort(), ["a", "b"]);
    expectThat("a mark is given", typeof (await ledger.mark()) === "string");
  },

  async "keeps values that are held, and finds them by key and by what they say"(ledger) {
    const held = (like: string): CellRecord["held"] => ({
      values: { tone: "upset" },
      by: { grave: ["tone"] },
      since: 7,
      version: 2,
      model: "m",
      row: { text: "Line\nparted" },
      place: "line 3",
      like,
    });
    const decided = { tone: { how: "accept", act: "a1", by: "ada", at: 9 } } as const;
    await ledger.record({
      cells: [
        cell("b", { state: "held", held: held("x") }),
        cell("a", { state: "held", held: held("y") }),
        cell("c", { state: "held", held: held("x"), again: { on: mark(1), says: "no", before: "{}", by: "ada" } }),
        cell("d", { decided, letStand: { on: mark(2), by: "ada", at: 3 } }),
      ],
    });
    const keysOf = (cells: readonly CellRecord[]): string[] => cells.map(({ key }) => key);
    expectSame("held cells are given by key", keysOf(await ledger.cells.held("p", "s", { limit: 10 })), ["a", "b", "c"]);
    expectSame("and go on behind one", keysOf(await ledger.cells.held("p", "s", { after: "a", limit: 1 })), ["b"]);
    expectSame("those that say the same can be asked for", keysOf(await ledger.cells.held("p", "s", { like: "x", limit: 10 })), ["b", "c"]);
    expectSame("held cells are counted", [await ledger.cells.countHeld("p", "s"), await ledger.cells.countHeld("p", "s", "x")], [3, 2]);
    await ledger.record({ cells: [cell("e", { state: "held", held: held("") })] });
    expectSame("those that wait for a check alone are apart", keysOf(await ledger.cells.held("p", "s", { like: "", limit: 10 })), ["e"]);
    expectSame("and counted apart", [await ledger.cells.countHeld("p", "s"), await ledger.cells.countHeld("p", "s", "")], [3, 1]);
    const found = await ledger.cells.find("p", "s", ["b", "d"]);
    expectSame("what is held is kept whole", found.get("b")?.held, held("x"));
    expectSame("what was decided is kept", found.get("d")?.decided, decided);
    expectSame("who let a cell stand is kept", found.get("d")?.letStand?.by, "ada");
    await ledger.record({ cells: [cell("b")] });
    expectSame("what is no longer held is gone from them", keysOf(await ledger.cells.held("p", "s", { limit: 10 })), ["a", "c"]);
  },

  async "tells what a run changed, and what stood before it"(ledger) {
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    await ledger.record({ cells: [cell("a"), cell("b"), cell("c")] });
    await ledger.runs.start({ id: "run2", kind: "fill", subject: "p", startedAt: 2 });
    const upset = (key: string, run: string): CellRecord => cell(key, { run, values: { tone: "upset" } });
    await ledger.record({ cells: [upset("a", "run2"), upset("c", "run2"), cell("n", { run: "run2" })] });
    await ledger.record({ cells: [cell("a", { run: "run2", values: { tone: "glad" } })] });
    await ledger.record({ cells: [upset("c", "review")] });
    const changed = (await allOf(ledger.cells.changedBy("run2", "p"))).map(({ now, before }) => [
      now.key,
      now.run,
      now.values["tone"],
      before?.values["tone"] ?? null,
    ]);
    expectSame(
      "each cell is given as it stands and as it stood before the run",
      changed.sort((one, other) => (String(one[0]) < String(other[0]) ? -1 : 1)),
      [
        ["a", "run2", "glad", "calm"],
        ["c", "review", "upset", "calm"],
        ["n", "run2", "calm", null],
      ],
    );
    expectSame("of another plan there is none", await allOf(ledger.cells.changedBy("run2", "other")), []);
    await ledger.runs.end({ id: "run2", endedAt: 3, end: "done", tally: {} });
    await ledger.runs.start({ id: "idle", kind: "fill", subject: "p", startedAt: 4 });
    await ledger.runs.end({ id: "idle", endedAt: 5, end: "done", tally: {} });
    await ledger.runs.start({ id: "run3", kind: "fill", subject: "p", startedAt: 6 });
    await ledger.record({ cells: [cell("n", { run: "run3", values: { tone: "glad" } })] });
    const left = (await allOf(ledger.cells.changedBy("run2", "p"))).map(({ now, after }) => [
      now.key,
      now.run,
      after.run,
      after.values["tone"] ?? null,
    ]);
    expectSame(
      "what it left is told, whatever came after it",
      left.sort((one, other) => (String(one[0]) < String(other[0]) ? -1 : 1)),
      [
        ["a", "run2", "run2", "glad"],
        ["c", "review", "run2", "upset"],
        ["n", "run3", "run2", "calm"],
      ],
    );
    const runs = await ledger.runs.find("fill", "p", 3);
    expectSame("runs tell how many rows' cells they recorded", [runs[1]?.cells ?? null, (runs[2]?.cells ?? 0) > 0], [0, true]);
  },

  async "gives a plan's cells another name, with their decisions, and back"(ledger) {
    const decision = { act: "a", plan: "p", step: "s", key: "k", column: "tone", how: "accept", judged: "j", by: "ada", at: 1 } as const;
    await ledger.record({ cells: [cell("k"), cell("k", { plan: "old" })], decisions: [decision] });
    await ledger.cells.rename("p", "old");
    expectSame("nothing is left under the first name", (await ledger.cells.find("p", "s", ["k"])).size, 0);
    expectSame("decisions go with the cells", (await ledger.decisions.of("old", "s", "k")).length, 1);
    expectSame("what had the name is gone", (await ledger.cells.find("old", "s", ["k"])).get("k")?.values, {
      tone: "calm",
      level: 3,
      ok: true,
    });
    await ledger.record({ cells: [cell("n")] });
    await ledger.cells.rename("old", "p");
    expectSame("it comes back", [...(await ledger.cells.find("p", "s", ["k", "n"])).keys()], ["k"]);
  },
};
