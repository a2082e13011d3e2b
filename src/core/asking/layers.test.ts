import { describe, expect, it } from "vitest";
import { virtualClock, type VirtualClock } from "../../../tests/helpers/clock.js";
import { Budget } from "./budget.js";
import { layered } from "./layers.js";
import { ModelFailure, type Model, type ModelRequest } from "../model/index.js";
import { textMessage } from "../ground/index.js";

const request: ModelRequest = { messages: [textMessage("user", "word ".repeat(40))], maxTokens: 10 };
const ok = { text: "ok", finish: "stop" as const, usage: { tokensIn: 50, tokensOut: 5 } };
const modelOf = (ask: Model["ask"], limits: Model["limits"] = {}): Model => ({
  id: "m",
  host: "h",
  price: { input: 1, output: 1 },
  limits,
  ask,
});
/** Asks so often, so many at once. */
const askAll = async (model: Model, count: number, atOnce: number): Promise<string[]> => {
  const outcomes: string[] = [];
  let next = 0;
  const worker = async (): Promise<void> => {
    while (next++ < count)
      outcomes.push(
        await model.ask(request).then(
          (reply) => reply.text,
          (error: unknown) => (error as ModelFailure).kind,
        ),
      );
  };
  await Promise.all(Array.from({ length: atOnce }, worker));
  return outcomes;
};

/** A host that takes so many requests in any minute that slides, and refuses the rest. */
function limitedHost(clock: VirtualClock, perMinute: number, headers = false): { ask: Model["ask"]; taken: number; refused: number } {
  const starts: number[] = [];
  const host = {
    taken: 0,
    refused: 0,
    ask: async (): Promise<typeof ok & { allowance?: { requests: number; resetMs: number } }> => {
      const now = clock.now();
      while (starts.length > 0 && starts[0]! <= now - 60_000) starts.shift();
      await clock.sleep(300);
      if (starts.length >= perMinute) {
        host.refused++;
        throw new ModelFailure("busy", "too many", { status: 429 });
      }
      starts.push(now);
      host.taken++;
      return headers ? { ...ok, allowance: { requests: perMinute - starts.length, resetMs: 60_000 - (now - starts[0]!) } } : ok;
    },
  };
  return host;
}

describe("a model's pace", () => {
  it("uses nearly all of 300 requests a minute over three minutes, and is hardly ever refused", async () => {
    const clock = virtualClock();
    const host = limitedHost(clock, 300);
    const began = clock.now();
    const outcomes = await clock.run(askAll(layered(modelOf(host.ask, { requestsPerMinute: 300 }), clock), 900, 50));
    const minutes = (clock.now() - began) / 60_000;
    expect(new Set(outcomes)).toEqual(new Set(["ok"]));
    expect(host.taken / (300 * minutes)).toBeGreaterThanOrEqual(0.95);
    expect(host.refused / (host.taken + host.refused)).toBeLessThanOrEqual(0.01);
  });

  it("finds a limit that nobody stated, by what the host refuses, and loses nothing", async () => {
    const clock = virtualClock();
    const host = limitedHost(clock, 600);
    const outcomes = await clock.run(askAll(layered(modelOf(host.ask), clock), 2_500, 20));
    expect(outcomes.filter((outcome) => outcome === "ok").length).toBeGreaterThan(2_400);
    expect(host.refused / (host.taken + host.refused)).toBeLessThan(0.4);
  });

  it("waits for the host's own count where that is stated", async () => {
    const clock = virtualClock();
    const host = limitedHost(clock, 100, true);
    await clock.run(askAll(layered(modelOf(host.ask), clock), 250, 3));
    expect(host.refused).toBeLessThanOrEqual(10);
  });

  it("is shared by all who ask the model, requests at once included, and a slow reply holds up no other", async () => {
    const clock = virtualClock();
    let most = 0;
    let open = 0;
    let index = 0;
    const model = modelOf(
      async () => {
        most = Math.max(most, ++open);
        await clock.sleep(index++ === 0 ? 60_000 : 100);
        open--;
        return ok;
      },
      { atOnce: 4, requestsPerMinute: 6_000 },
    );
    const began = clock.now();
    const [one, two] = [layered(model, clock), layered(model, clock)];
    let quick = 0;
    await clock.run(Promise.all([askAll(one, 40, 10), askAll(two, 40, 10).then(() => (quick = clock.now() - began))]));
    expect(most).toBe(4);
    expect(quick).toBeLessThan(10_000);
  });

  it("keeps tokens a minute, what answers took included", async () => {
    const clock = virtualClock();
    const began = clock.now();
    await clock.run(
      askAll(
        layered(
          modelOf(async () => ok, { tokensPerMinute: 5_500 }),
          clock,
        ),
        200,
        10,
      ),
    );
    const minutes = (clock.now() - began) / 60_000;
    expect((200 * 55) / minutes).toBeLessThanOrEqual(5_700);
    expect((200 * 55) / minutes).toBeGreaterThan(5_000);
  });
});

describe("a host that is down", () => {
  it("is waited for with one probe at a time; then all goes on, and no request is lost", async () => {
    const clock = virtualClock();
    const down = clock.now() + 2_000;
    let open = 0;
    let mostWhileDown = 0;
    const states: string[] = [];
    const model = modelOf(async () => {
      open++;
      await clock.sleep(50);
      open--;
      if (clock.now() > down + 1_500 && clock.now() < down + 90_000) mostWhileDown = Math.max(mostWhileDown, open + 1);
      if (clock.now() > down && clock.now() < down + 90_000) throw new ModelFailure("network", "the connection failed");
      return ok;
    });
    const outcomes = await clock.run(askAll(layered(model, clock, { onBreaker: (_, state) => states.push(state) }), 2_000, 20));
    expect(new Set(outcomes)).toEqual(new Set(["ok"]));
    expect(states).toEqual(["open", "closed"]);
    expect(mostWhileDown).toBeLessThanOrEqual(2);
  });

  it("ends the run when the stated patience is over", async () => {
    const clock = virtualClock();
    const began = clock.now();
    const model = modelOf(
      async () => {
        throw new ModelFailure("server", "the host failed (HTTP 503)");
      },
      { patienceMs: 60_000 },
    );
    const outcomes = await clock.run(askAll(layered(model, clock), 40, 10));
    expect(outcomes.every((outcome) => outcome === "gone")).toBe(true);
    expect(clock.now() - began).toBeGreaterThan(60_000);
    expect(clock.now() - began).toBeLessThan(180_000);
  });

  it("is not one that is busy, or that rejects a request", async () => {
    const clock = virtualClock();
    const states: string[] = [];
    let index = 0;
    const model = modelOf(async () => {
      await clock.sleep(10);
      throw ++index % 2 === 0 ? new ModelFailure("rejected", "no such model", { status: 404 }) : new ModelFailure("busy", "too many");
    });
    await clock.run(askAll(layered(model, clock, { onBreaker: (_, state) => states.push(state) }), 30, 5));
    expect(states).toEqual([]);
  });
});

describe("a second request", () => {
  const straggling = (clock: VirtualClock): Model["ask"] => {
    let index = 0;
    return async (_, signal) => {
      // Each attempt is a straggler or not by itself, as hosts are.
      await clock.sleep(++index % 100 === 50 ? 4_000 : 200, signal).catch(() => {
        throw new ModelFailure("cancelled", "cancelled");
      });
      return ok;
    };
  };

  it("saves the waiting for stragglers: within a tenth of the ideal, both requests paid for", async () => {
    const took = async (secondRequestAfter: number | undefined): Promise<{ ms: number; budget: Budget }> => {
      const clock = virtualClock();
      const budget = new Budget();
      const began = clock.now();
      const outcomes = await clock.run(askAll(layered(modelOf(straggling(clock), { secondRequestAfter }), clock, { budget }), 5_000, 50));
      expect(outcomes.every((outcome) => outcome === "ok")).toBe(true);
      return { ms: clock.now() - began, budget };
    };
    const ideal = (5_000 * 200) / 50;
    const [without, within] = [await took(undefined), await took(3)];
    expect(without.ms / ideal).toBeGreaterThan(1.15);
    expect(within.ms / ideal).toBeLessThanOrEqual(1.1);
    expect(without.budget.unsure).toBe(0);
    expect(within.budget.unsure).toBeGreaterThan(40 * 100);
    expect(within.budget.spent).toBe(without.budget.spent);
  });

  it("is not made before there are peers to compare with, and fails only when both do", async () => {
    const clock = virtualClock();
    let asked = 0;
    const model = modelOf(
      async (_, signal) => {
        const own = ++asked;
        await clock.sleep(own <= 20 ? 100 : 5_000, signal).catch(() => {
          throw new ModelFailure("cancelled", "cancelled");
        });
        if (own > 20) throw new ModelFailure("rejected", `no ${own}`);
        return ok;
      },
      { secondRequestAfter: 2 },
    );
    expect(await clock.run(askAll(layered(model, clock), 20, 1))).toHaveLength(20);
    expect(asked).toBe(20);
    expect(await clock.run(askAll(layered(model, clock), 1, 1))).toEqual(["rejected"]);
  });
});
