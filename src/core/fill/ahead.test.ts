import { describe, expect, it } from "vitest";
import { ahead } from "./ahead.js";

describe("reading ahead", () => {
  it("reads one item ahead, passes errors on in their turn, and closes the source when left early", async () => {
    let made = 0;
    let closed = false;
    async function* source(): AsyncGenerator<number> {
      try {
        for (let i = 0; i < 5; i++) {
          made++;
          if (i === 3) throw new Error("broken");
          yield i;
        }
      } finally {
        closed = true;
      }
    }
    const got: number[] = [];
    await expect(
      (async () => {
        for await (const item of ahead(source())) {
          got.push(item);
          await new Promise((resolve) => setImmediate(resolve));
          expect(made).toBe(item + 2);
        }
      })(),
    ).rejects.toThrow("broken");
    expect([got, closed]).toEqual([[0, 1, 2], true]);
    closed = false;
    for await (const _ of ahead(source())) break;
    expect(closed).toBe(true);
  });
});
