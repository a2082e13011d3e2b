import { xoroshiro128plus } from "pure-rand/generator/xoroshiro128plus";
import { uniformInt } from "pure-rand/distribution/uniformInt";
import { describe, expect, it } from "vitest";
import { compareDays, LEAST_OF_DAY, type ValueCounts } from "./index.js";

const counts = (of: Readonly<Record<string, number>>): ValueCounts => new Map(Object.entries(of));
const EVEN = { fire: 400, spill: 400, other: 200 };

describe("a day against its reference", () => {
  it("has moved where shares are others beyond chance, and says which value most", () => {
    const [topic, tone] = compareDays(
      [
        { column: "topic", before: counts(EVEN), now: counts({ fire: 10, spill: 80, other: 10 }) },
        { column: "tone", before: counts({ calm: 500, upset: 500 }), now: counts({ calm: 52, upset: 48 }) },
      ],
      0.01,
    );
    expect(topic).toMatchObject({ column: "topic", isMoved: true, most: { value: "spill", before: 0.4, now: 0.8 } });
    expect(topic!.adjusted).toBeGreaterThanOrEqual(topic!.p);
    expect(tone).toMatchObject({ column: "tone", isMoved: false });
  });

  it("is held against it by Pearson's test", () => {
    // scipy.stats.chi2_contingency([[500, 500], [40, 60]], correction=False): 3.637566, p 0.056489
    const [one] = compareDays([{ column: "tone", before: counts({ calm: 500, upset: 500 }), now: counts({ calm: 40, upset: 60 }) }], 0.01);
    expect(one!.statistic).toBeCloseTo(3.6375661, 6);
    expect(one!.p).toBeCloseTo(0.0564895, 6);
  });

  it("takes rare values together, also those that are new", () => {
    const rare = Object.fromEntries(Array.from({ length: 40 }, (_, index) => [`word ${index}`, 3]));
    const [own] = compareDays([{ column: "ship", before: counts({ Tern: 600, ...rare }), now: counts({ Tern: 45, new: 5 }) }], 0.01);
    expect(own!.freedom).toBe(1);
    const [blank] = compareDays([{ column: "ship", before: counts({ Tern: 600 }), now: counts({ Tern: 10, "": 40 }) }], 0.01);
    expect(blank).toMatchObject({ isMoved: true, most: { value: "", now: 0.8 } });
  });

  it("is not judged by too few answers, and doubt only where it grows", () => {
    const few = counts({ fire: LEAST_OF_DAY - 1 });
    expect(compareDays([{ column: "topic", before: counts(EVEN), now: few }], 0.01)).toEqual([]);
    expect(compareDays([{ column: "topic", before: counts({ fire: 20, spill: 20 }), now: counts({ spill: 40 }) }], 0.01)).toEqual([]);
    const doubt = (before: number, now: number): boolean =>
      compareDays(
        [
          {
            column: "(doubt)",
            grows: "in doubt",
            before: counts({ sure: 1_000 - before, "in doubt": before }),
            now: counts({ sure: 100 - now, "in doubt": now }),
          },
        ],
        0.01,
      )[0]!.isMoved;
    expect([doubt(200, 45), doubt(200, 1)]).toEqual([true, false]);
  });

  it.each([
    [100, 1 / 20],
    [100, 1 / 100],
    [400, 1 / 100],
  ])(
    "cries wolf no oftener than it says: days of %i answers, once in 1/%d",
    (answers, alpha) => {
      const random = xoroshiro128plus(7);
      const uniform = (): number => uniformInt(random, 0, 999_999) / 1_000_000;
      // Six columns, two of them with rare values, one of nearly one value.
      const shares = [
        [0.5, 0.3, 0.15, 0.05],
        [0.9, 0.1],
        [0.97, 0.02, 0.01],
        [0.2, 0.2, 0.2, 0.2, 0.2],
        [0.6, 0.2, 0.1, 0.05, 0.02, 0.01, 0.01, 0.01],
        [0.5, 0.5],
      ];
      const draw = (of: readonly number[], times: number): ValueCounts => {
        const drawn = new Map<string, number>();
        for (let i = 0; i < times; i++) {
          let left = uniform();
          const value = String(
            Math.max(
              0,
              of.findIndex((share) => (left -= share) < 0),
            ),
          );
          drawn.set(value, (drawn.get(value) ?? 0) + 1);
        }
        return drawn;
      };
      const DAYS = 1_500;
      let alarms = 0;
      for (let day = 0; day < DAYS; day++) {
        const compared = compareDays(
          shares.map((of, index) => ({ column: String(index), before: draw(of, 600), now: draw(of, answers) })),
          alpha,
        );
        if (compared.some(({ isMoved }) => isMoved)) alarms++;
      }
      // Three standard deviations of what is promised.
      expect(alarms).toBeLessThanOrEqual(DAYS * alpha + 3 * Math.sqrt(DAYS * alpha * (1 - alpha)));
    },
    60_000,
  );
});
