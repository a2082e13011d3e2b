import { describe, expect, it } from "vitest";
import { virtualClock } from "../../../tests/helpers/clock.js";
import { fenced, scriptedModel, type ScriptedModel } from "../../../tests/helpers/models.js";
import { inWords } from "../../../tests/helpers/words.js";
import { memoryLedger, type Ledger } from "../ledger/index.js";
import { BudgetSpent, ModelFailure, type ModelRequest } from "../model/index.js";
import { prepare, template, type Prepared } from "../template/index.js";
import { Asker } from "./asker.js";
import { readyAsking, type Question } from "./asking.js";
import { askOne, openAsking } from "./open-asking.js";

const tone = prepare(
  template({
    name: "tone",
    inputs: { note: { kind: "text" } },
    task: "{{ note }}",
    answer: { tone: { kind: "choice", options: ["calm", "upset"] } },
  }),
) as unknown as Prepared;
const answer = (request: ModelRequest): string => JSON.stringify({ tone: fenced(request, "note").includes("!") ? "upset" : "calm" });

function asks(model: ScriptedModel, more: Partial<Question> = {}): (note: string) => Question {
  const asking = readyAsking({ prepared: tone, version: 1, model });
  return (note) => ({ asking, inputs: { note }, fingerprint: asking.fingerprint({ note }), ...more });
}

/** A model that takes its time, or an error. */
const slowModel = (clock: ReturnType<typeof virtualClock>, ms = 1_000, options = {}): ScriptedModel =>
  scriptedModel(async (request) => {
    await clock.sleep(ms);
    return answer(request);
  }, options);

async function all(
  ledger: Ledger,
  clock: ReturnType<typeof virtualClock>,
  model: ScriptedModel,
  questions: readonly Question[],
  more = {},
) {
  const opened = openAsking({ ledger, clock, run: `run ${clock.random()}`, models: [model], ...more });
  const found: string[] = [];
  try {
    for await (const { question, answer: given, came } of opened.answers(questions))
      found.push(`${question.inputs["note"]} ${given.parts?.["tone"] ?? inWords(given.reason)} ${came}`);
  } finally {
    await opened.close();
  }
  return found;
}

describe("asking", () => {
  it("asks equal questions once: within a run, across runs at the same time, and later", async () => {
    const clock = virtualClock();
    const ledger = memoryLedger();
    const model = slowModel(clock);
    const question = asks(model);
    const both = await clock.run(
      Promise.all([all(ledger, clock, model, ["a", "b!", "a"].map(question)), all(ledger, clock, model, ["b!", "c"].map(question))]),
    );
    expect(both.map((found) => found.toSorted())).toEqual([
      ["a calm asked", "a calm reused", "b! upset asked"],
      ["b! upset reused", "c calm asked"],
    ]);
    expect(await clock.run(all(ledger, clock, model, ["c", "a"].map(question)))).toEqual(["c calm reused", "a calm reused"]);
    expect(model.requests).toHaveLength(3);
    // Everything that was held is free again.
    expect(
      await ledger.leases.take(
        ["a", "b!", "c"].map((note) => `ask:${question(note).fingerprint}`),
        { holder: "test", until: 1, now: 0 },
      ),
    ).toEqual([true, true, true]);
  });

  it("asks what another was asking and gave up, and asks afresh after the other is done", async () => {
    const clock = virtualClock();
    const ledger = memoryLedger();
    const failing = scriptedModel(async () => {
      await clock.sleep(500);
      throw new ModelFailure("rejected", "no such model");
    });
    const good = slowModel(clock);
    const [lost, won] = await clock.run(
      Promise.allSettled([all(ledger, clock, failing, [asks(failing)("a")]), all(ledger, clock, good, [asks(good)("a")])]),
    );
    expect([lost.status, won.status === "fulfilled" && won.value]).toEqual(["rejected", ["a calm asked"]]);
    const [one, two] = await clock.run(
      Promise.all([
        all(ledger, clock, good, [asks(good, { fresh: true })("a")]),
        all(ledger, clock, good, [asks(good, { fresh: true })("a")]),
      ]),
    );
    expect([one, two]).toEqual([["a calm asked"], ["a calm reused"]]);
    expect(good.requests).toHaveLength(2);
  });

  it("waits for no other process any more once nothing is to be asked", async () => {
    const clock = virtualClock();
    const ledger = memoryLedger();
    const model = slowModel(clock);
    const question = asks(model)("a");
    await ledger.leases.take([`ask:${question.fingerprint}`], { holder: "another", until: Number.MAX_SAFE_INTEGER, now: 0 });
    let isOver = false;
    const left: unknown[] = [];
    const asker = new Asker(
      { ledger, clock, run: "r", models: [model] },
      { isOver: () => isOver, take: () => undefined, leave: (one) => left.push(one.inputs["note"]) },
    );
    await asker.ask([question]);
    isOver = true;
    await clock.run(asker.close());
    expect([left, model.requests.length]).toEqual([["a"], 0]);
    // What another holds stays its own.
    expect(await ledger.leases.take([`ask:${question.fingerprint}`], { holder: "third", until: 1, now: 0 })).toEqual([false]);
  });

  it("takes an error of the model's own code for a failure of that request, and tries again", async () => {
    const clock = virtualClock();
    const model = scriptedModel((request, index) => {
      if (fenced(request, "note") === "bad" || index === 0) throw new TypeError("cannot read x of undefined");
      return answer(request);
    });
    expect(await clock.run(all(memoryLedger(), clock, model, ["bad", "good"].map(asks(model))))).toEqual(
      expect.arrayContaining(["bad the model failed: cannot read x of undefined asked", "good calm asked"]),
    );
  });

  it("leaves a model that never hears of being cancelled", async () => {
    const clock = virtualClock();
    const drop = new AbortController();
    const model = scriptedModel(() => {
      setImmediate(() => drop.abort());
      return new Promise<string>(() => undefined);
    });
    await expect(all(memoryLedger(), clock, model, [asks(model)("a")], { drop: drop.signal })).rejects.toMatchObject({ kind: "cancelled" });
  });

  it("charges every request to its step, also those that led to no answer", async () => {
    const clock = virtualClock();
    const ledger = memoryLedger();
    let index = 0;
    const model = scriptedModel((request) => {
      if (index++ === 0) throw new ModelFailure("timeout", "no answer in time");
      return answer(request);
    });
    await ledger.runs.start({ id: "r", kind: "try", subject: "s", startedAt: 0 });
    await clock.run(askOne({ ledger, clock, run: "r" }, asks(model, { step: "sort" })("a")));
    const [charge] = await ledger.charges.of("s");
    expect(charge).toMatchObject({ step: "sort", requests: 1, spent: 110 });
    expect(charge!.unsure).toBeGreaterThan(100);
  });

  it("counts a charge once, also where the ledger reads an entry a while after it was given", async () => {
    const clock = virtualClock();
    const inner = memoryLedger();
    // As a ledger does that commits what comes together.
    const ledger: Ledger = {
      ...inner,
      record: async (entry) => {
        await clock.sleep(7);
        await inner.record(entry);
      },
    };
    let n = 0;
    const model = scriptedModel(async (request) => {
      await clock.sleep(5 + (n++ % 4));
      return answer(request);
    });
    await clock.run(all(ledger, clock, model, Array.from({ length: 40 }, (_, index) => `note ${index}`).map(asks(model)), { atOnce: 6 }));
    const day = await inner.charges.since(0);
    const answers: number[] = [];
    for await (const some of inner.answers.all()) answers.push(...some.map(({ answer: given }) => given.spent));
    expect(day).toBe(answers.reduce((sum, spent) => sum + spent, 0));
  });

  it("lets nobody wait for ever: whoever waits for another's answer holds back nothing of the cap that the other needs", async () => {
    // From a cap that is too small for one request to one that is enough for all.
    for (let monthlyCap = 1_300; monthlyCap < 4_500; monthlyCap += 20) {
      const clock = virtualClock();
      const ledger = memoryLedger();
      // It costs a fifth of what it might, so that what is reserved ahead is not enough for the next.
      const model = scriptedModel(async (request) => {
        await clock.sleep(300);
        return { text: answer(request), usage: { tokensIn: 60, tokensOut: 200 } };
      });
      const orders = [
        ["a", "x"],
        ["b!", "x"],
        ["x", "b!", "c"],
      ];
      const asking = orders.map((order) => all(ledger, clock, model, order.map(asks(model)), { monthlyCap, atOnce: 1 }));
      const late = clock.sleep(600_000).then(() => Promise.reject(new Error(`they wait, with ${monthlyCap}`)));
      for (const one of await clock.run(Promise.race([Promise.allSettled(asking), late])))
        if (one.status === "rejected") expect(one.reason).toBeInstanceOf(BudgetSpent);
      expect(await ledger.charges.since(0)).toBeLessThanOrEqual(monthlyCap);
      expect(new Set(model.requests.map((request) => fenced(request, "note"))).size).toBe(model.requests.length);
    }
  });

  it("charges the dearer model that is asked in doubt under its own name", async () => {
    const clock = virtualClock();
    const ledger = memoryLedger();
    const sure = prepare(template({ ...tone.template, doubt: { by: "stated", below: 0.9, ask: "careful" } })) as unknown as Prepared;
    const saying = (confidence: number, options: object): ScriptedModel =>
      scriptedModel(() => JSON.stringify({ tone: "calm", confidence }), options);
    const [quick, careful] = [saying(0.1, {}), saying(1, { id: "dear", price: { input: 10, output: 10 } })];
    const asking = readyAsking({ prepared: sure, version: 1, model: quick, others: { careful } });
    await ledger.runs.start({ id: "r", kind: "try", subject: "s", startedAt: 0 });
    await askOne({ ledger, clock, run: "r" }, { asking, inputs: { note: "a" }, fingerprint: asking.fingerprint({ note: "a" }) });
    expect(await ledger.charges.of("s")).toMatchObject([
      { model: "dear", requests: 1, spent: 1_100 },
      { model: "scripted", requests: 1, spent: 110 },
    ]);
  });

  it("tells the caller of a model that cannot be used, and of a ledger that cannot be written, once", async () => {
    const clock = virtualClock();
    const refusing = scriptedModel(() => {
      throw new ModelFailure("unauthorised", "wrong key");
    });
    await expect(clock.run(all(memoryLedger(), clock, refusing, ["a", "b", "c"].map(asks(refusing))))).rejects.toMatchObject({
      kind: "unauthorised",
    });
    const broken = { ...memoryLedger(), record: async () => Promise.reject(new Error("disk full")) };
    const model = slowModel(clock, 10);
    await expect(clock.run(all(broken, clock, model, ["a", "b", "c"].map(asks(model))))).rejects.toThrow("disk full");
  });
});
