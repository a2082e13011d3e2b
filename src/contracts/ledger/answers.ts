import { expectSame } from "../check.js";
import { mark, answer, cell, allOf, type LedgerCases } from "./made.js";

export const ANSWERS: LedgerCases = {
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
};
