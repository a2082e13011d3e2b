import {
  dayOf,
  monthStart,
  remark,
  type AfterRecord,
  type AnswerRecord,
  type CellRecord,
  type Charge,
  type CheckRecord,
  type DecisionRecord,
  type Ledger,
  type NoticeRecord,
} from "../core/index.js";
import { expectSame, expectThat, type ContractCase } from "./check.js";

const mark = (n: number): string => n.toString(16).padStart(64, "0");

const answer = (n: number, raw = "{}"): AnswerRecord => ({
  fingerprint: mark(n),
  template: "t",
  version: 1,
  model: "m",
  run: "run1",
  at: 5,
  answer: {
    state: "answered",
    parts: { tone: "calm", list: ["é", "\n"] },
    raw,
    notes: [remark("fenced"), remark("tidied", { part: "tone" })],
    asks: 1,
    usage: { tokensIn: 3, tokensOut: 4 },
    spent: 7,
    tookMs: 9,
  },
});

const cell = (key: string, more: Partial<CellRecord> = {}): CellRecord => ({
  plan: "p",
  step: "s",
  key,
  state: "filled",
  fingerprint: mark(1),
  values: { tone: "calm", level: 3, ok: true },
  run: "run1",
  at: 5,
  ...more,
});

const charge = (more: Partial<Charge>): Charge => ({
  run: "run1",
  step: "s",
  model: "m",
  day: 5,
  requests: 1,
  tokensIn: 1,
  tokensOut: 1,
  spent: 0,
  unsure: 0,
  ...more,
});

const allOf = async <T>(chunks: AsyncIterable<readonly T[]>): Promise<T[]> => {
  const all: T[] = [];
  for await (const some of chunks) all.push(...some);
  return all;
};

const CASES: Readonly<Record<string, (ledger: Ledger) => Promise<void>>> = {
  async "gives answers back by fingerprint, in order, the first one kept unless replaced"(ledger) {
    await Promise.all([
      ledger.record({ answers: [answer(1)] }),
      ledger.record({ answers: [answer(2)] }),
      ledger.record({ answers: [answer(1, "later")] }),
    ]);
    expectSame("answers", await ledger.answers.find([mark(2), mark(9), mark(1)]), [answer(2), undefined, answer(1)]);
    await ledger.record({ answers: [answer(1, "asked afresh")], replace: true });
    expectSame("the answer that replaces one", (await ledger.answers.find([mark(1)]))[0]?.answer.raw, "asked afresh");
    expectSame("no answers", await ledger.answers.find([]), []);
  },

  async "gives names on lease, each to one holder, until it lets go, records, or its time is over"(ledger) {
    const one = { holder: "one", until: 100, now: 10 };
    const two = { holder: "two", until: 200, now: 20 };
    expectSame("free names", await ledger.leases.take(["a", "b"], one), [true, true]);
    expectSame("a name that is held", await ledger.leases.take(["b", "c"], two), [false, true]);
    expectSame("a name of one's own", await ledger.leases.take(["a"], { ...one, until: 150 }), [true]);
    await ledger.record({ answers: [answer(1)], holder: "two", release: ["b", "c"] });
    expectSame("after a record", await ledger.leases.take(["b", "c"], { ...two, holder: "three" }), [false, true]);
    await ledger.leases.release("one", ["b"]);
    expectSame("after letting go", await ledger.leases.take(["b", "a"], two), [true, false]);
    expectSame("after its time", await ledger.leases.take(["a"], { ...two, now: 151 }), [true]);
    expectSame("whether it is taken", await ledger.leases.isTaken("a", 151), true);
    expectSame("taken, once its time is over", await ledger.leases.isTaken("a", 10_000), false);
    expectSame("a name that nobody took", await ledger.leases.isTaken("d", 151), false);
    expectSame("no names", await ledger.leases.take([], two), []);
  },

  async "never grants more room below a cap than there is, whoever reserves and is charged"(ledger) {
    const ask = (holder: string, needs: number, wants = needs, now = 0): Promise<number | undefined> =>
      ledger.charges.reserve({ holder, needs, wants, cap: 1_000, since: 5, until: 100, now });
    await ledger.record({ charges: [charge({ spent: 9_000, day: 4 }), charge({ spent: 100, unsure: 50 })] });
    expectSame("what is free", await ask("one", 400), 400);
    expectSame("more than is left", await ask("two", 451), undefined);
    // Of the 450 that are left, the need and a tenth of the rest.
    expectSame("a need that wants more", await ask("two", 50, 500), 50 + 40);
    expectSame("more than is left beside another", await ask("one", 761), undefined);
    expectSame("all that is left beside another", await ask("one", 760), 760);
    await ledger.record({ charges: [charge({ spent: 300, unsure: 60 })], holder: "one" });
    // What was charged is no longer reserved: 510 charged, 400 held.
    expectSame("more than is left beside what is held", await ask("two", 91), undefined);
    await ledger.charges.release("one");
    expectSame("what was let go", await ask("two", 490), 490);
    expectSame("nothing left", await ask("three", 1), undefined);
    expectSame("what a holder let run out", await ask("three", 490, 490, 101), 490);
  },

  async "keeps the cap of one run apart from what others spend"(ledger) {
    const ask = (holder: string, needs: number, run?: string): Promise<number | undefined> =>
      ledger.charges.reserve({ holder, needs, wants: needs, cap: 1_000, since: 0, until: 100, now: 0, run });
    await ledger.record({ charges: [charge({ spent: 300 }), charge({ run: "run2", spent: 900 })] });
    expectSame("what its own charges leave", await ask("one", 700, "run1"), 700);
    expectSame("beside another of the same run", await ask("two", 1, "run1"), undefined);
    expectSame("of another run", await ask("three", 100, "run2"), 100);
    expectSame("of all runs", await ask("four", 1), undefined);
    expectSame("what one run was charged", await ledger.charges.since(0, "run2"), 900);
    await ledger.charges.release("one");
    expectSame("what was let go", await ask("two", 700, "run1"), 700);
  },

  async "sets a fact only where it is what the caller knows of it"(ledger) {
    expectSame("a fact that is not there", await ledger.facts.swap("f", { a: 1 }, 2), false);
    expectSame("a first fact", await ledger.facts.swap("f", undefined, { a: 1, b: [null] }), true);
    expectSame("a fact that is there", await ledger.facts.swap("f", undefined, 3), false);
    expectSame("members in another order", await ledger.facts.swap("f", { b: [null], a: 1 }, 3), true);
    expectSame("the fact", await ledger.facts.get("f"), 3);
    expectSame("an unknown fact", await ledger.facts.get("n"), undefined);
    await ledger.facts.set("n", { a: [1] });
    await ledger.facts.set("n", { a: [2] });
    expectSame("a fact set twice", await ledger.facts.get("n"), { a: [2] });
    await ledger.facts.set("n:2", 2);
    await ledger.facts.set("n:1", 1);
    await ledger.facts.set("n:3", null);
    await ledger.facts.set("m:1", 1);
    expectSame(
      "facts by how their names begin",
      [...(await ledger.facts.find("n:"))],
      [
        ["n:1", 1],
        ["n:2", 2],
      ],
    );
    await ledger.facts.remove(["n:1", "n:3", "nobody's"]);
    expectSame("what is left of them", [...(await ledger.facts.find("n:"))], [["n:2", 2]]);
    expectSame("a fact that was removed", await ledger.facts.swap("n:1", undefined, 4), true);
  },

  async "adds up what requests cost by model and step, and tells it by subject and by day"(ledger) {
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    const day = dayOf(Date.UTC(2026, 1, 28, 23));
    await ledger.record({ charges: [charge({ day, tokensIn: 3, tokensOut: 4, spent: 7 })] });
    await ledger.record({
      charges: [charge({ day, tokensIn: 5, spent: 2 }), charge({ day, model: "dear", tokensIn: 5, spent: 10 })],
    });
    const unsure = { step: "", day: dayOf(Date.UTC(2026, 2, 1)), requests: 0, tokensIn: 0, tokensOut: 0, spent: 1, unsure: 30 };
    await ledger.record({ charges: [charge(unsure)] });
    expectSame("what a subject cost", await ledger.charges.of("p"), [
      { model: "dear", step: "s", requests: 1, tokensIn: 5, tokensOut: 1, spent: 10, unsure: 0 },
      { model: "m", step: "", requests: 0, tokensIn: 0, tokensOut: 0, spent: 1, unsure: 30 },
      { model: "m", step: "s", requests: 2, tokensIn: 8, tokensOut: 5, spent: 9, unsure: 0 },
    ]);
    expectSame("what another subject cost", await ledger.charges.of("other"), []);
    const common = { kind: "fill", subject: "p" };
    const figures = { requests: 1, tokensIn: 5, tokensOut: 1, unsure: 0 };
    expectSame("day by day", await ledger.charges.byDay(day), [
      { day: day + 1, ...common, model: "m", step: "", requests: 0, tokensIn: 0, tokensOut: 0, spent: 1, unsure: 30 },
      { day, ...common, model: "dear", step: "s", ...figures, spent: 10 },
      { day, ...common, model: "m", step: "s", requests: 2, tokensIn: 8, tokensOut: 5, spent: 9, unsure: 0 },
    ]);
    expectSame("from the second day on", (await ledger.charges.byDay(day + 1)).length, 1);
    expectSame("since a month's start", await ledger.charges.since(monthStart(Date.UTC(2026, 2, 31))), 31);
    expectSame("since the month before", await ledger.charges.since(monthStart(Date.UTC(2026, 1, 1))), 31 + 19);
    await ledger.runs.start({ id: "run2", kind: "fill", subject: "p", startedAt: 50 });
    await ledger.record({ charges: [charge({ run: "run2", day: day + 40, spent: 3 })] });
    const spent = async (about: Parameters<Ledger["charges"]["of"]>[1]): Promise<number> =>
      (await ledger.charges.of("p", about)).reduce((sum, line) => sum + line.spent, 0);
    expectSame(
      "since a moment, or by some runs",
      [await spent({ since: 50 }), await spent({ since: 51 }), await spent({ runs: ["run1"] })],
      [3, 0, 20],
    );
  },

  async "gives every answer and cell out, and forgets old answers that no cell rests on"(ledger) {
    const many = Array.from({ length: 1_200 }, (_, index) => ({ ...answer(index + 1), at: index }));
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    await ledger.record({
      answers: many,
      cells: [cell("a"), cell("b", { plan: "q", fingerprint: mark(700) }), cell("", { fingerprint: undefined })],
    });
    expectSame("all answers", await allOf(ledger.answers.all()), many);
    const cells = await allOf(ledger.cells.all());
    expectSame("all cells", cells.map(({ plan, key }) => `${plan} ${key}`).sort(), ["p ", "p a", "q b"]);
    expectSame("forgotten of another", await ledger.answers.prune({ before: 1_000, subject: "other" }), 0);
    expectSame("forgotten", await ledger.answers.prune({ before: 1_000, subject: "p" }), 998);
    const left = await ledger.answers.find([mark(1), mark(2), mark(700), mark(1_100)]);
    expectSame(
      "what is left",
      left.map((record) => record !== undefined),
      [true, false, true, true],
    );
  },

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

  async "numbers versions by content"(ledger) {
    const versionOf = async (template: string, hash: string, at: number): Promise<number> =>
      (await ledger.versions.of(template, { hash, text: `text of ${hash}`, at })).version;
    const numbers = [await versionOf("t", "h1", 1), await versionOf("t", "h2", 2), await versionOf("t", "h1", 3)];
    expectSame("numbers", numbers, [1, 2, 1]);
    expectSame("another template's number", await versionOf("u", "h1", 1), 1);
    expectSame(
      "all of a template",
      (await ledger.versions.all("t")).map(({ text }) => text),
      ["text of h1", "text of h2"],
    );
  },

  async "lists runs newest first, with how they ended"(ledger) {
    await ledger.runs.start({ id: "run1", kind: "fill", subject: "p", startedAt: 1 });
    await ledger.runs.start({ id: "run2", kind: "fill", subject: "p", startedAt: 2 });
    await ledger.runs.start({ id: "run3", kind: "trial", subject: "p", startedAt: 3 });
    await ledger.runs.end({ id: "run2", endedAt: 9, end: "done", tally: { rows: 3 } });
    expectSame("runs", await ledger.runs.find("fill", "p", 5), [
      { id: "run2", kind: "fill", subject: "p", startedAt: 2, endedAt: 9, end: "done", cells: 0, tally: { rows: 3 } },
      { id: "run1", kind: "fill", subject: "p", startedAt: 1 },
    ]);
    expectThat("a limit of runs is kept", (await ledger.runs.find("fill", "p", 1)).length === 1);
    const ids = async (about: Parameters<Ledger["runs"]["recent"]>[0]): Promise<string[]> =>
      (await ledger.runs.recent(about)).map(({ id }) => id);
    expectSame("recent runs", await ids({ limit: 9 }), ["run3", "run2", "run1"]);
    expectSame("those before", await ids({ limit: 1, before: 3 }), ["run2"]);
    expectSame("of a kind", await ids({ limit: 9, kind: "trial", subject: "p" }), ["run3"]);
    expectSame("of another", await ids({ limit: 9, subject: "q" }), []);
  },

  async "knows whose cells were recorded since"(ledger) {
    await ledger.record({ cells: [cell("a", { at: 5 }), cell("b", { at: 7 }), cell("c", { at: 9, plan: "q" })] });
    expectSame("since a moment", await ledger.cells.changedSince("p", "s", 7), ["b"]);
    expectSame("of all", (await ledger.cells.changedSince("p", "s", 0)).sort(), ["a", "b"]);
    expectThat("a mark is given", typeof (await ledger.mark()) === "string");
  },

  async "can be flushed and closed after many records at once"(ledger) {
    await Promise.all(
      Array.from({ length: 50 }, (_, index) => ledger.record({ answers: [answer(index + 1)], cells: [cell(`k${index}`)] })),
    );
    await ledger.flush();
    expectSame(
      "answers",
      (await ledger.answers.find([mark(1), mark(50)])).map((record) => record !== undefined),
      [true, true],
    );
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

/**
 * What every ledger must do, as cases for any test runner. Each case opens a ledger of its own and closes it.
 *
 * @param open gives a new, empty ledger.
 * @example
 * ```ts
 * import { memoryLedger } from "yoroshi";
 * import { ledgerContract } from "yoroshi/contracts";
 *
 * for (const { name, run } of ledgerContract(() => memoryLedger())) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function ledgerContract(open: () => Ledger | Promise<Ledger>): ContractCase[] {
  return Object.entries(CASES).map(([name, check]) => ({
    name,
    run: async () => {
      const ledger = await open();
      try {
        await check(ledger);
      } finally {
        await ledger.close();
      }
    },
  }));
}
