import { expectSame } from "../check.js";
import { answer, type LedgerCases } from "./made.js";

export const FACTS: LedgerCases = {
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
};
