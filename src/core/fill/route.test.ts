import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Route } from "./route.js";

const STEPS = [
  { name: "sort", needs: [] },
  { name: "size", needs: [] },
  { name: "act", needs: ["sort"] },
  { name: "headline", needs: ["act", "size"] },
];

describe("a route", () => {
  it("makes a row ready for a step when all that the step needs is done, later steps first", () => {
    const route = new Route<{ id: string }, (typeof STEPS)[number]>(STEPS);
    const [a, b] = [{ id: "a" }, { id: "b" }];
    route.enter([a, b]);
    const seen: string[] = [];
    for (let next = route.next(1); next; next = route.next(1)) {
      seen.push(`${next.step.name} ${next.rows.map(({ id }) => id).join()}`);
      for (const row of next.rows) seen.push(...(route.finish(next.step, row) ? [`${row.id} has arrived`] : []));
    }
    expect(seen).toEqual([
      "size a",
      "size b",
      "sort a",
      "act a",
      "headline a",
      "a has arrived",
      "sort b",
      "act b",
      "headline b",
      "b has arrived",
    ]);
    expect(route.leaveRest()).toEqual([]);
  });

  it("leaves a step with all that need it, and at its end tells what rows still waited for", () => {
    const route = new Route<{ id: string }, (typeof STEPS)[number]>(STEPS);
    const row = { id: "a" };
    route.enter([row]);
    const [sort, size, act, headline] = STEPS as [never, never, never, never];
    expect(route.abandon(act, row)).toEqual([act, headline]);
    expect(route.finish(sort, row)).toBe(false);
    expect(route.leaveRest()).toEqual([{ row, steps: [size] }]);
    expect(route.hasReady).toBe(false);
    expect(route.finish(size, row)).toBe(false);
  });

  it("brings every row to every step once, whatever the steps, chunks and what is left out", () => {
    const made = fc.array(fc.array(fc.nat(9), { maxLength: 3 }), { minLength: 1, maxLength: 7 });
    fc.assert(
      fc.property(made, fc.integer({ min: 1, max: 12 }), fc.integer({ min: 1, max: 5 }), fc.nat(6), (needs, rows, most, leave) => {
        const steps = needs.map((of, index) => ({
          name: `s${index}`,
          needs: [...new Set(of.filter((one) => one < index))].map((one) => `s${one}`),
        }));
        const route = new Route<{ id: number }, (typeof steps)[number]>(steps);
        route.enter(Array.from({ length: rows }, (_, id) => ({ id })));
        const done = new Map<string, number>();
        let count = 0;
        const book = (row: { id: number }, name: string): void =>
          void done.set(`${row.id} ${name}`, (done.get(`${row.id} ${name}`) ?? 0) + 1);
        for (let next = route.next(most); next; next = route.next(most)) {
          expect(next.rows.length).toBeLessThanOrEqual(most);
          for (const row of next.rows) {
            for (const need of next.step.needs) expect(done.get(`${row.id} ${need}`)).toBe(1);
            if (count++ % 7 === leave) for (const one of route.abandon(next.step, row)) book(row, one.name);
            else {
              book(row, next.step.name);
              route.finish(next.step, row);
            }
          }
        }
        expect(route.leaveRest()).toEqual([]);
        expect([...done.values()]).toEqual(Array.from({ length: rows * steps.length }, () => 1));
      }),
    );
  });
});
