import type { Ledger } from "../../core/index.js";
import { expectSame, expectThat } from "../check.js";
import { type LedgerCases } from "./made.js";

export const RUNS: LedgerCases = {
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
};
