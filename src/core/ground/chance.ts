import { uniformInt } from "pure-rand/distribution/uniformInt";
import { xoroshiro128plus } from "pure-rand/generator/xoroshiro128plus";

/** Chance that repeats itself: the same seed, the same draws. */
export interface Chance {
  /** A whole number drawn evenly from 0 to `below` - 1. */
  whole(below: number): number;
  /** The items in a random order; the list itself stays as it is. */
  shuffled<T>(items: readonly T[]): T[];
}

/** Draws of the generator xoroshiro128+ (Blackman and Vigna 2018), begun with a seed. */
export function seededChance(seed: number): Chance {
  const generator = xoroshiro128plus(seed);
  const whole = (below: number): number => uniformInt(generator, 0, below - 1);
  return {
    whole,
    // Fisher and Yates 1938, in Durstenfeld's form.
    shuffled: (items) => {
      const mixed = [...items];
      for (let i = mixed.length - 1; i > 0; i--) {
        const j = whole(i + 1);
        [mixed[i], mixed[j]] = [mixed[j]!, mixed[i]!];
      }
      return mixed;
    },
  };
}
