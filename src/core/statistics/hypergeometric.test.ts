import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededChance } from "../ground/index.js";
import { hypergeometricBounds, hypergeometricTails, rowsToShow, sequentialBounds } from "./index.js";

interface Case {
  population: number;
  sample: number;
  found: number;
}
const reference = JSON.parse(readFileSync(new URL("population-reference.json", import.meta.url), "utf8")) as {
  tails: (Case & { having: number; atMost: number; atLeast: number })[];
  bounds: (Case & { level: number; low: number; high: number })[];
  sequential: (Case & { level: number; a: number; b: number; low: number; high: number })[];
  rows: (Case & { most: number; level: number; a: number; b: number; rows: number })[];
};

describe("how many of a population have a property", () => {
  it("has the tails of scipy, up to a million", () => {
    for (const { population, sample, found, having, atMost, atLeast } of reference.tails) {
      const tails = hypergeometricTails(population, sample, found, having);
      for (const [is, wanted] of [
        [tails.atMost, atMost],
        [tails.atLeast, atLeast],
      ] as const)
        expect(Math.abs(is - wanted), `${population} ${sample} ${found} ${having}: ${is} for ${wanted}`).toBeLessThan(1e-9);
    }
  });

  it("has the bounds that scipy's distribution gives, one by one", () => {
    for (const { population, sample, found, level, low, high } of reference.bounds)
      expect(hypergeometricBounds(population, sample, found, level)).toEqual({ low, high });
  });

  it("has bounds for any number of looks as scipy's masses give them", () => {
    for (const { population, sample, found, level, a, b, low, high } of reference.sequential)
      expect(sequentialBounds(population, sample, found, level, [a, b])).toEqual({ low, high });
    for (const { population, most, level, a, b, sample, found, rows } of reference.rows)
      expect(rowsToShow(population, most, level, [a, b], { sample, found })).toBe(rows);
  });

  it("is right at every look at once: in fewer than one of twenty draws is a look ever wrong", () => {
    const random = seededChance(7);
    const [population, wrong, draws] = [120, 9, 400];
    let missed = 0;
    for (let draw = 0; draw < draws; draw++) {
      const cells = Array.from({ length: population }, (_, index) => index < wrong);
      let found = 0;
      let isMissed = false;
      for (let sample = 1; sample <= population; sample++) {
        const at = sample - 1 + random.whole(population - sample + 1);
        [cells[sample - 1], cells[at]] = [cells[at]!, cells[sample - 1]!];
        if (cells[sample - 1]) found++;
        const { low, high } = sequentialBounds(population, sample, found, 0.95, [1, 20]);
        isMissed ||= wrong < low || wrong > high;
      }
      if (isMissed) missed++;
    }
    // Looked at so often, the bounds of one look would miss in far more.
    expect(missed / draws).toBeLessThan(0.05);
  });

  it("never leaves out what was seen, and is certain once all are seen", () => {
    const cases = fc
      .integer({ min: 1, max: 400 })
      .chain((population) => fc.tuple(fc.constant(population), fc.integer({ min: 1, max: population })))
      .chain(([population, sample]) => fc.tuple(fc.constant(population), fc.constant(sample), fc.integer({ min: 0, max: sample })));
    fc.assert(
      fc.property(cases, ([population, sample, found]) => {
        for (const { low, high } of [hypergeometricBounds(population, sample, found), sequentialBounds(population, sample, found)]) {
          expect(low).toBeGreaterThanOrEqual(found);
          expect(high).toBeLessThanOrEqual(population - (sample - found));
          expect(low).toBeLessThanOrEqual(high);
        }
        expect(sequentialBounds(population, population, found)).toEqual({ low: found, high: found });
      }),
    );
  });
});
