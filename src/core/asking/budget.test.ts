import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { dayOf, memoryLedger } from "../ledger/index.js";
import { BudgetSpent, costOf, dearestUsage, ModelFailure, type FailureKind } from "../model/index.js";
import { Budget, budgeted, type Charged } from "./budget.js";
import { paced } from "./pace.js";
import { retrying } from "./retry.js";
import { SharedCap } from "./shared-cap.js";
import { textMessage } from "../ground/index.js";

const request = { messages: [textMessage("user", "Grüße")], maxTokens: 50 };
const failing = (kinds: readonly FailureKind[], retryAfterMs?: number) =>
  scriptedModel((_, index) => {
    if (index < kinds.length) throw new ModelFailure(kinds[index]!, "no", { retryAfterMs });
    return "done";
  });

describe("retries", () => {
  it("try what may pass again, with full jitter that doubles, and not before the host's Retry-After", async () => {
    const clock = fakeClock({ random: 0.5 });
    expect((await retrying(clock)(failing(["busy", "server", "network", "timeout", "garbled"])).ask(request)).text).toBe("done");
    expect(clock.slept).toEqual([250, 500, 1000, 2000, 4000]);
    const waiting = fakeClock({ random: 0 });
    await retrying(waiting)(failing(["busy", "busy"], 3000)).ask(request);
    expect(waiting.slept).toEqual([3000, 3000]);
    const patience = fakeClock({ random: 0 });
    await retrying(patience, { longestWaitMs: 1000 })(failing(["busy"], 3_600_000)).ask(request);
    expect(patience.slept).toEqual([1000]);
  });

  it("give up after their attempts, and at once where trying again is useless", async () => {
    const model = failing(Array.from({ length: 9 }, () => "server" as const));
    await expect(retrying(fakeClock(), { attempts: 3 })(model).ask(request)).rejects.toMatchObject({ kind: "server" });
    expect(model.requests).toHaveLength(3);
    for (const kind of ["unauthorised", "quota", "rejected", "cancelled"] as const) {
      const final = failing([kind]);
      await expect(retrying(fakeClock())(final).ask(request)).rejects.toMatchObject({ kind });
      expect(final.requests).toHaveLength(1);
    }
  });

  it("end when the user stops the run, without losing what is under way", async () => {
    const stop = new AbortController();
    const clock = { ...fakeClock(), sleep: async () => stop.abort() };
    const model = failing(["server", "server"]);
    await expect(retrying(clock, {}, stop.signal)(model).ask(request)).rejects.toMatchObject({ kind: "server" });
    expect(model.requests).toHaveLength(2);
  });

  it("stop waiting when the user cancels", async () => {
    const signal = AbortSignal.abort();
    await expect(retrying(fakeClock())(failing(["busy"])).ask(request, signal)).rejects.toMatchObject({ kind: "cancelled" });
  });
});

describe("pace", () => {
  it("spreads starts over the minute, and waits for all when the host says it is too much", async () => {
    const clock = fakeClock();
    const model = paced(clock)(scriptedModel(() => "ok", { limits: { requestsPerMinute: 300 } }));
    for (let i = 0; i < 4; i++) await model.ask(request);
    expect(clock.slept).toEqual([202, 202, 202]); // one in a hundred below the limit
    const busy = fakeClock();
    const other = paced(busy)(failing(["busy"], 5000));
    await other.ask(request).catch(() => undefined);
    await other.ask(request);
    expect(busy.slept).toEqual([5000]);
  });

  it("spreads tokens over the minute", async () => {
    const clock = fakeClock();
    const model = paced(clock)(scriptedModel(() => "ok", { limits: { tokensPerMinute: 6000 } }));
    const long = { ...request, messages: [textMessage("user", "word ".repeat(80))] };
    await model.ask(long);
    await model.ask(long);
    expect(clock.slept[0]).toBeCloseTo(1111, 0); // 110 tokens, what the answer took included, at 10.1 ms each
  });
});

describe("prices", () => {
  it("are millionths a token, rounded up; the dearest use counts a token for each byte", () => {
    expect(costOf({ tokensIn: 1000, tokensOut: 10 }, { input: 0.15, output: 0.6 })).toBe(156);
    expect(costOf({ tokensIn: 1, tokensOut: 0 }, { input: 0.15, output: 0.6 })).toBe(1);
    expect(dearestUsage({ ...request, schema: { type: "object" } })).toEqual({ tokensIn: 7 + 16 + 17, tokensOut: 50 });
  });
});

describe("a budget", () => {
  it("is never passed, whatever replies cost and in whatever order they come", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 3000 }),
        fc.array(
          fc.record({
            used: fc.integer({ min: 0, max: 70 }),
            turns: fc.nat(5),
            fails: fc.constantFrom(undefined, "server" as const, "timeout" as const),
          }),
          { maxLength: 60 },
        ),
        async (cap, replies) => {
          const budget = new Budget(cap);
          let real = 0;
          const model = budgeted(budget)(
            scriptedModel(async (_, index) => {
              const { used, turns, fails } = replies[index]!;
              for (let i = 0; i < turns; i++) await Promise.resolve();
              expect(budget.committed).toBeLessThanOrEqual(cap);
              if (fails === "timeout") real += 73; // the host may have done all the work
              if (fails) throw new ModelFailure(fails, "no");
              real += used;
              return { text: "", usage: { tokensIn: used, tokensOut: 0 } };
            }),
          );
          const results = await Promise.allSettled(replies.map(() => model.ask(request)));
          for (const result of results)
            if (result.status === "rejected" && !(result.reason instanceof ModelFailure)) expect(result.reason).toBeInstanceOf(BudgetSpent);
          expect(real).toBeLessThanOrEqual(cap);
          expect(budget.committed).toBe(budget.spent + budget.unsure);
        },
      ),
    );
  });

  it("lets requests wait for what others give back, and says when nothing can", async () => {
    const budget = new Budget(100); // one request of at most 73 at a time
    const model = budgeted(budget)(scriptedModel(() => ({ text: "", usage: { tokensIn: 20, tokensOut: 0 } })));
    const results = await Promise.allSettled([1, 2, 3].map(() => model.ask(request)));
    expect(results.map((result) => result.status)).toEqual(["fulfilled", "fulfilled", "rejected"]);
    expect(budget.spent).toBe(40);
  });
});

/**
 * Replies [used, turns, how they fail] of four holders that, with a cap of 301, waited for each other for ever where the ledger held more
 * for one of them than it counted on.
 */
const WAITED: readonly (readonly [number, number, ("server" | "timeout")?])[][] = [
  [
    [31, 5],
    [52, 2, "server"],
    [5, 3],
    [17, 3, "server"],
    [58, 1],
  ],
  [
    [53, 2],
    [1, 3, "server"],
    [4, 5, "timeout"],
    [21, 0, "server"],
    [2, 4, "server"],
    [61, 5, "timeout"],
    [29, 1, "timeout"],
    [24, 4, "timeout"],
    [40, 3, "server"],
    [60, 3, "timeout"],
  ],
  [
    [65, 5],
    [68, 5],
    [36, 4, "timeout"],
    [60, 4, "server"],
    [4, 4],
    [68, 5, "timeout"],
    [43, 1, "timeout"],
  ],
  [
    [55, 2, "timeout"],
    [2, 2, "server"],
    [13, 1],
    [63, 1, "server"],
    [68, 3, "timeout"],
    [13, 0, "timeout"],
    [64, 4, "timeout"],
    [40, 1],
    [32, 0],
  ],
];

describe("a cap that several share", () => {
  it("is never passed together, and nobody waits for ever, whatever replies cost and in whatever order they come", async () => {
    const reply = fc.record({
      used: fc.integer({ min: 0, max: 70 }),
      turns: fc.nat(5),
      fails: fc.constantFrom(undefined, "server" as const, "timeout" as const),
    });
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 3000 }),
        fc.array(fc.array(reply, { maxLength: 25 }), { minLength: 1, maxLength: 4 }),
        async (cap, all) => {
          const ledger = memoryLedger();
          const clock = fakeClock();
          let real = 0;
          const done = all.map(async (replies, holder) => {
            const shared = new SharedCap(ledger, clock, `h${holder}`, cap);
            const record = async ({ usage, ...charged }: Charged): Promise<void> => {
              await ledger.record({ charges: [{ run: "r", day: dayOf(clock.now()), ...charged, ...usage }], holder: `h${holder}` });
              shared.recorded(charged.spent + charged.unsure);
            };
            const recording: Promise<void>[] = [];
            const model = budgeted(
              new Budget(undefined, [shared]),
              (charged) => void recording.push(record(charged)),
            )(
              scriptedModel(async (_, index) => {
                const { used, turns, fails } = replies[index]!;
                for (let i = 0; i < turns; i++) await Promise.resolve();
                if (fails === "timeout") real += 73;
                if (fails) throw new ModelFailure(fails, "no");
                real += used;
                return { text: "", usage: { tokensIn: used, tokensOut: 0 } };
              }),
            );
            const results = await Promise.allSettled(replies.map(() => model.ask(request)));
            for (const result of results)
              if (result.status === "rejected" && !(result.reason instanceof ModelFailure))
                expect(result.reason).toBeInstanceOf(BudgetSpent);
            await Promise.all(recording);
            await shared.release();
          });
          await Promise.all(done);
          expect(real).toBeLessThanOrEqual(cap);
          expect(await ledger.charges.since(0)).toBe(real);
          // All that was reserved and not used is free again.
          expect(
            await ledger.charges.reserve({ holder: "last", needs: cap - real, wants: 0, cap, since: 0, until: 1e15, now: clock.now() }),
          ).toBe(cap - real);
        },
      ),
      { examples: [[301, WAITED.map((replies) => replies.map(([used, turns, fails]) => ({ used, turns, fails })))]] },
    );
  });

  it("counts on nothing that it may have lost while it was not seen", async () => {
    const inner = memoryLedger();
    const clock = fakeClock();
    let unseenSince = -Infinity;
    const ledger = { ...inner, leases: { ...inner.leases, mayHaveLost: (takenAt: number) => takenAt <= unseenSince } };
    const shared = new SharedCap(ledger, clock, "mine", 100);
    expect(await shared.cover(30)).toBe(true);
    shared.settle(30, 0);
    // Frozen: its room is free, and another takes most of it.
    unseenSince = clock.now();
    await inner.charges.release("mine");
    clock.advance(20_000);
    await inner.charges.reserve({ holder: "other", needs: 80, wants: 80, cap: 100, since: 0, until: Infinity, now: clock.now() });
    expect(await shared.cover(30)).toBe(false);
    await inner.charges.release("other");
    expect(await shared.cover(30)).toBe(true);
  });
});
