import { dayOf, monthStart, type Ledger } from "../../core/index.js";
import { expectSame } from "../check.js";
import { charge, type LedgerCases } from "./made.js";

export const CHARGES: LedgerCases = {
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
};
