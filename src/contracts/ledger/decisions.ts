import type { AfterRecord, CheckRecord, DecisionRecord, NoticeRecord } from "../../core/index.js";
import { expectSame, expectThat } from "../check.js";
import { mark, cell, allOf, type LedgerCases } from "./made.js";

export const DECISIONS: LedgerCases = {
  async "keeps what rules made of rows, and their messages until they are taken"(ledger) {
    const state = (key: string, level: number): AfterRecord => ({
      plan: "p",
      key,
      rules: { urgent: { seen: { level, tone: "é" }, holds: level > 3, ...(level > 3 ? { gives: { id: key } } : {}) } },
      at: 5,
    });
    const notice = (id: string, more: Partial<NoticeRecord> = {}): NoticeRecord => ({
      id,
      plan: "p",
      rule: "tell",
      key: "a",
      at: 5,
      columns: { level: 4 },
      state: "waiting",
      attempts: 0,
      ...more,
    });
    expectSame("of a plan that nobody knows there is nothing", (await ledger.afterwards.find("p", ["a"])).size, 0);
    await ledger.record({
      afterwards: [state("b", 4), state("a", 2), state("", 5)],
      notices: [notice("n1"), notice("n2")],
      cells: [cell("a")],
    });
    const before = await ledger.afterwards.mark("p");
    expectSame("a state comes back as it was", (await ledger.afterwards.find("p", ["a", "x"])).get("a"), state("a", 2));
    const keys = async (): Promise<string[]> => (await allOf(ledger.afterwards.all("p"))).map(({ key }) => key);
    expectSame("all of them, by key, the empty one included", await keys(), ["", "a", "b"]);
    await ledger.record({ afterwards: [state("a", 5)] });
    expectSame("a newer state takes its place", (await ledger.afterwards.find("p", ["a"])).get("a")?.rules["urgent"]?.holds, true);
    expectThat("the mark tells of it", (await ledger.afterwards.mark("p")) !== before);
    await ledger.record({ notices: [notice("n1", { state: "sent", attempts: 2 })] });
    expectSame(
      "what was taken waits no more",
      (await ledger.afterwards.waiting("p", 10)).map(({ id }) => id),
      ["n2"],
    );
    expectSame("both are counted", await ledger.afterwards.count("p"), { waiting: 1, sent: 1 });
    expectSame(
      "the newest come first",
      (await ledger.afterwards.notices("p", 10)).map(({ id, attempts }) => [id, attempts]),
      [
        ["n2", 0],
        ["n1", 2],
      ],
    );
    await ledger.cells.rename("p", "old");
    expectSame("under another name they are the same", [(await ledger.afterwards.find("old", ["a"])).size, await keys()], [1, []]);
    expectSame(
      "messages, too",
      (await ledger.afterwards.waiting("old", 10)).map(({ id, plan }) => [id, plan]),
      [["n2", "old"]],
    );
  },

  async "keeps decisions in their order, and that an act was taken back"(ledger) {
    const decision = (act: string, key: string, column: string): DecisionRecord => ({
      act,
      plan: "p",
      step: "s",
      key,
      column,
      how: "edit",
      judged: "j",
      value: "calm",
      given: "upset",
      rules: ["grave"],
      by: "ada",
      at: 4,
      tookMs: 900,
    });
    await ledger.record({ decisions: [decision("a1", "k", "tone"), decision("a1", "k", "level")] });
    await ledger.record({ decisions: [decision("a2", "k2", "tone")], cells: [cell("k2")] });
    expectSame("of a row", await ledger.decisions.of("p", "s", "k"), [decision("a1", "k", "tone"), decision("a1", "k", "level")]);
    expectSame("of a plan", (await allOf(ledger.decisions.all("p"))).length, 3);
    expectSame("cells are recorded with decisions", (await ledger.cells.find("p", "s", ["k2"])).size, 1);
    await ledger.record({ undone: { act: "a1", by: "bo", at: 6 } });
    expectSame(
      "an act is taken back as a whole",
      (await ledger.decisions.act("a1")).map(({ undone }) => undone),
      [
        { by: "bo", at: 6 },
        { by: "bo", at: 6 },
      ],
    );
    const check: CheckRecord = {
      id: "c1",
      plan: "p",
      step: "s",
      template: "t",
      version: 1,
      model: "m",
      seed: 3,
      at: 5,
      by: "ada",
      columns: ["tone"],
      population: 90,
      values: { tone: { calm: 80, upset: 10 } },
      slices: {},
      rows: [{ key: "k", place: "line 2", fingerprint: mark(1), values: { tone: "calm" }, row: { text: "é" } }],
    };
    await ledger.decisions.addCheck(check);
    await ledger.decisions.addCheck({ ...check, id: "c2", at: 6 });
    expectSame(
      "checks are given newest first",
      (await ledger.decisions.checks("p")).map(({ id }) => id),
      ["c2", "c1"],
    );
    expectSame("whole", (await ledger.decisions.checks("p"))[1], check);
  },
};
