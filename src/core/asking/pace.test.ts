import { expect, it } from "vitest";
import { virtualClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { textMessage } from "../ground/index.js";
import { paced, takeShare } from "./pace.js";

it("a process that has a share of a host's limits starts so much less often, also once shares change", async () => {
  const clock = virtualClock();
  const starts: number[] = [];
  const bare = scriptedModel(
    async () => {
      starts.push(clock.now());
      return "{}";
    },
    { limits: { requestsPerMinute: 600 } },
  );
  const model = paced(clock)(bare);
  const ask = async (count: number): Promise<number> => {
    starts.length = 0;
    const began = clock.now();
    await clock.run(Promise.all(Array.from({ length: count }, () => model.ask({ messages: [], schema: {} } as never))));
    return starts.at(-1)! - began;
  };
  // A tenth of a second each, and a hundredth of that for clocks that differ.
  const alone = await ask(61);
  expect(alone).toBeGreaterThan(6_000);
  expect(alone).toBeLessThan(6_200);
  takeShare(bare, clock, 1 / 4);
  expect(await ask(61)).toBeGreaterThan(4 * 6_000);
  takeShare(bare, clock, 1 / 2);
  const half = await ask(61);
  expect(half).toBeGreaterThan(2 * 6_000 - 200);
  expect(half).toBeLessThan(2 * 6_300);
  takeShare(bare, clock, 1);
  expect(await ask(61)).toBeLessThan(6_500);
});

it("counts tokens by its share, too", async () => {
  const clock = virtualClock();
  const starts: number[] = [];
  const bare = scriptedModel(
    async () => {
      starts.push(clock.now());
      return { text: "{}", usage: { tokensIn: 100, tokensOut: 0 } } as never;
    },
    { limits: { tokensPerMinute: 60_000 } },
  );
  takeShare(bare, clock, 1 / 3);
  const model = paced(clock)(bare);
  const words = textMessage("user", "word ".repeat(80));
  await clock.run(
    (async () => {
      for (let n = 0; n < 11; n++) await model.ask({ messages: [words], schema: {} } as never);
    })(),
  );
  // Ten times some hundred tokens at a third of a thousand a second.
  expect(starts.at(-1)! - starts[0]!).toBeGreaterThan(2_900);
});
