import { sentences, seededChance, wordPattern } from "../ground/index.js";
import { likenessIn } from "./described.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { gladness, isFaulty, isIdle } from "./tone.js";
import { likeness, terms, type Term } from "./words.js";

export interface Verdict {
  readonly option: string;
  /** How far it is ahead of the next. */
  readonly margin: number;
  /** Every option that the words speak for, the strongest first. */
  readonly all: readonly string[];
  /** The stems that spoke for the first. */
  readonly because: ReadonlySet<string>;
}

const NAME_WEIGHT = 2.2;
const ABOUT_WEIGHT = 1;
const RULE_WEIGHT = 0.8;
const EXAMPLE_WEIGHT = 0.6;
const NEGATED = 0.15;
/** Below this the words of an option hardly occur, and what fits none of the others is the better answer. */
const HARDLY = 0.9;

/** An option that is for what sounds glad, or for mere questions, is spoken for by how a text sounds. */
function toneBonus({ name, about }: Weighed["option"], { data, sense }: ReadRequest): number {
  const words = `${name} ${about}`;
  const glad = gladness(words, sense);
  const asks = /\bquestions?\b/i.test(words) && isIdle(data) ? 1 : 0;
  return (
    asks +
    (glad > 0.5 ? Math.max(0, gladness(data, sense)) * 1.2 : 0) +
    (/\b(problem|fault|broken|defect)\w*/i.test(words) && isFaulty(data) ? 0.8 : 0)
  );
}

interface Weighed {
  readonly option: { readonly name: string; readonly about: string };
  readonly sum: number;
  readonly because: ReadonlySet<string>;
}

export function choose(part: AskedPart, words: readonly Term[], request: ReadRequest): Verdict {
  const profiles = part.options.map((option) => profileOf(option, part, request));
  const spread = new Map<string, number>();
  for (const profile of profiles) for (const stem of profile.keys()) spread.set(stem, (spread.get(stem) ?? 0) + 1);
  const seen = new Map<string, number>();
  for (const { stem, negated } of words)
    seen.set(stem, Math.min(1.6, (seen.get(stem) ?? 0) + (negated ? NEGATED : 1) * (seen.has(stem) ? 0.3 : 1)));

  const weighed = (withSense: boolean): Weighed[] =>
    profiles.map((profile, index) => {
      let sum = 0;
      const because = new Set<string>();
      for (const [stem, count] of seen) {
        let best = 0;
        for (const [own, weight] of profile) {
          const listed = likeness(stem, own);
          const like = listed > 0 || !withSense ? listed : SENSE_WEIGHT * likenessIn(stem, own, request.sense);
          if (like > 0) best = Math.max(best, like * weight * Math.log(1 + profiles.length / spread.get(own)!));
        }
        if (best > 0) because.add(stem);
        sum += best * count;
      }
      return { option: part.options[index]!, sum, because };
    });
  // Where no option is named in so many words, it counts what the words mean something like.
  const named = weighed(false);
  const isNamed = named.some(({ sum }) => sum >= HARDLY);
  const chance = seededChance(request.noise.seed);
  const results = (isNamed || !request.sense ? named : weighed(true)).map(({ sum, ...rest }) => ({
    ...rest,
    sum:
      sum +
      (isNamed ? 0 : toneBonus(rest.option, request)) +
      (request.noise.strength > 0 ? NOISE * request.noise.strength * (chance.whole(1000) / 500 - 1) : 0),
  }));
  const other = results.find(
    ({ option }) =>
      /fits none of the others|none of (these|the above)|(any|every)thing else/i.test(option.about) ||
      /^(other|others|unclear|unknown|none|rest|misc\w*)$/i.test(option.name),
  );
  const best = results
    .filter((result) => result !== other)
    .reduce<(typeof results)[number] | undefined>((top, result) => (!top || result.sum > top.sum ? result : top), undefined);
  const chosen = best && (best.sum >= HARDLY || !other) ? best : (other ?? best);
  const strong = results
    .filter((result) => result !== other && result.sum >= HARDLY && result.sum >= 0.5 * (best?.sum ?? 0))
    .sort((a, b) => b.sum - a.sum);
  const rivals = results.filter((result) => result !== chosen).map((result) => (result === other ? HARDLY : result.sum));
  return {
    option: chosen?.option.name ?? "",
    margin: (chosen === other ? HARDLY : (chosen?.sum ?? 0)) - Math.max(0, ...rivals),
    all: strong.map(({ option }) => option.name),
    because: chosen?.because ?? new Set(),
  };
}

/** How much it counts that words mean something like an option's, where none is named. */
const SENSE_WEIGHT = 0.4;

/** How far chance moves an option's weight at temperature 1. */
const NOISE = 1.2;

/** The probability that a margin stands for, as a logistic curve. */
export const probabilityOf = (margin: number): number => 1 / (1 + Math.exp(-1.8 * margin));

/** The words that speak for an option: its name, its meaning, rules about it in the task, and examples. */
function profileOf(option: { readonly name: string; readonly about: string }, part: AskedPart, request: ReadRequest): Map<string, number> {
  const profile = new Map<string, number>();
  const add = (text: string, weight: number): void => {
    for (const { stem, negated } of terms(text)) if (!negated) profile.set(stem, Math.max(profile.get(stem) ?? 0, weight));
  };
  add(option.name.replace(/[_-]+/g, " "), NAME_WEIGHT);
  add(option.about, ABOUT_WEIGHT);
  for (const sentence of sentences(request.instruction)) {
    const named = part.options.filter((candidate) => wordPattern(candidate.name).test(sentence));
    if (named.length === 1 && named[0]!.name === option.name) add(sentence, RULE_WEIGHT);
  }
  for (const example of request.examples) if (example.answer[part.name] === option.name) add(example.data, EXAMPLE_WEIGHT);
  return profile;
}
