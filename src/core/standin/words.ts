import { stemmer } from "stemmer";

const STOPWORDS = new Set(
  (
    "a an and any are as at be been being but by can could did do does for from had has have he her him his how i if in into is it its just may me might more most my of off on or our out over own she should so some such than that the their them then there these they this those through to too under up us very was we were what when where which while who whom why will with would you your yours " +
    "also about after again all am because before between both down during each few further here itself myself nor now once only other same until yet one two three mainly main"
  ).split(" "),
);

const NEGATIONS = new Set([
  "no",
  "not",
  "never",
  "without",
  "none",
  "nobody",
  "nothing",
  "neither",
  "nor",
  "isn't",
  "wasn't",
  "don't",
  "didn't",
  "doesn't",
  "hasn't",
  "haven't",
  "couldn't",
  "won't",
  "nil",
  "zero",
]);

/** How many words a negation reaches. */
const NEGATION_REACH = 3;

/** Groups of everyday words that mean much the same, by stem; general English, not any one trade's. */
const SYNONYMS = [
  "rope line cord cable",
  "fire smoke flame burn blaze",
  "hurt injure injury wound bruise cut",
  "slip trip fall fell stumble",
  "engine motor",
  "leak drip spill",
  "customer passenger client guest visitor",
  "car vehicle truck van lorry",
  "angry furious rude shout yell abuse",
  "break broke broken snap crack fail failure fault",
  "ill sick faint collapse unwell",
  "crash collide collision hit strike struck bump",
  "water sea flood wet",
  "doctor medic ambulance hospital",
  "late delay overdue",
  "pay payment invoice bill charge price cost refund",
  "repair fix mend replace",
  "happy glad pleased thank thanks great",
  "slow sluggish",
  "lose lost miss missing",
];
const groupOf = new Map<string, number>(
  SYNONYMS.flatMap((group, index) => group.split(" ").map((word): [string, number] => [stemmer(word), index])),
);

export interface Term {
  readonly stem: string;
  /** A negation stands close before it. */
  readonly negated: boolean;
}

/** The content words of a text, stemmed (Porter 1980), with their negation. */
export function terms(text: string): Term[] {
  const found: Term[] = [];
  let reach = 0;
  for (const [token] of text
    .toLowerCase()
    .replace(/\u2019/g, "'")
    .matchAll(/[\p{L}\p{N}]+(?:'[\p{L}]+)?|[.;:!?,\n]/gu)) {
    if (/^[.;:!?,\n]$/.test(token)) reach = 0;
    else if (NEGATIONS.has(token)) reach = NEGATION_REACH;
    else {
      const negated = reach > 0;
      if (reach > 0) reach--;
      const word = token.replace(/'s$/, "");
      if (word.length > 1 && !STOPWORDS.has(word)) found.push({ stem: stemmer(word), negated });
    }
  }
  return found;
}

export function stems(text: string): Set<string> {
  return new Set(terms(text).map((term) => term.stem));
}

/** 1 for the same stem, a half for words that mean much the same, 0 otherwise. */
export function likeness(a: string, b: string): number {
  if (a === b) return 1;
  const group = groupOf.get(a);
  return group !== undefined && group === groupOf.get(b) ? 0.5 : 0;
}

/** How well a stem matches the best of a set. */
export function bestLikeness(stem: string, among: ReadonlySet<string>): number {
  if (among.has(stem)) return 1;
  const group = groupOf.get(stem);
  if (group === undefined) return 0;
  for (const other of among) if (groupOf.get(other) === group) return 0.5;
  return 0;
}

const lexicon = (weights: Record<string, number>): Map<string, number> =>
  new Map(Object.entries(weights).map(([word, weight]) => [stemmer(word), weight]));

/** Words that sound like harm or danger, 0 to 1. */
const ALARM = lexicon({
  missing: 0.4,
  cracked: 0.5,
  crack: 0.5,
  loose: 0.45,
  worn: 0.4,
  jammed: 0.45,
  stuck: 0.45,
  blocked: 0.35,
  faulty: 0.5,
  fault: 0.45,
  defect: 0.5,
  damaged: 0.5,
  damage: 0.45,
  rusted: 0.4,
  corroded: 0.4,
  leaking: 0.45,
  overheating: 0.55,
  spilled: 0.4,
  lost: 0.5,
  sick: 0.45,
  drunk: 0.45,
  shouting: 0.4,
  weapon: 0.9,
  chest: 0.7,
  choked: 0.75,
  fainted: 0.6,
  dizzy: 0.5,
  bottle: 0.2,
  pinned: 0.8,
  grounded: 0.7,
  smoking: 0.55,
  sparks: 0.6,
  overdue: 0.4,
  expired: 0.4,
  delayed: 0.3,
  complaint: 0.3,
  refund: 0.3,
  cancelled: 0.4,
  unlocked: 0.4,
  unguarded: 0.7,
  trapped: 0.8,
  death: 1,
  die: 1,
  died: 1,
  dead: 1,
  killed: 1,
  kill: 1,
  drown: 1,
  drowned: 1,
  overboard: 1,
  explosion: 1,
  fire: 0.85,
  flames: 0.85,
  unconscious: 0.95,
  crush: 0.9,
  crushed: 0.9,
  collapse: 0.8,
  collapsed: 0.8,
  ambulance: 0.85,
  hospital: 0.85,
  burn: 0.7,
  burned: 0.7,
  smoke: 0.65,
  injury: 0.65,
  injured: 0.7,
  blood: 0.7,
  bleeding: 0.7,
  emergency: 0.75,
  danger: 0.65,
  dangerous: 0.65,
  collision: 0.8,
  fell: 0.55,
  fall: 0.5,
  snapped: 0.65,
  parted: 0.6,
  whipped: 0.7,
  broken: 0.45,
  broke: 0.45,
  sprained: 0.5,
  hurt: 0.5,
  cut: 0.45,
  bruise: 0.4,
  bruised: 0.4,
  slipped: 0.4,
  slip: 0.35,
  leak: 0.35,
  alarm: 0.45,
  failed: 0.45,
  failure: 0.45,
  threatened: 0.6,
  hit: 0.45,
  struck: 0.55,
  wrong: 0.3,
  urgent: 0.7,
  angry: 0.35,
  furious: 0.5,
  terrible: 0.5,
  awful: 0.5,
  worst: 0.6,
  shock: 0.6,
  gas: 0.5,
  fumes: 0.5,
});

/** Words that make light of things: they lower the alarm. */
const CALM = lexicon({
  minor: 0.35,
  slight: 0.3,
  small: 0.2,
  fine: 0.3,
  ok: 0.3,
  okay: 0.3,
  routine: 0.3,
  cosmetic: 0.4,
  untidy: 0.3,
  faded: 0.3,
  scratch: 0.3,
  scratched: 0.3,
  resolved: 0.2,
  safely: 0.2,
});

/** How alarming a text sounds, from 0 to 1: its gravest words, a little more for every further one. */
export function alarmOf(text: string): number {
  const found: number[] = [];
  let calm = 0;
  for (const { stem, negated } of terms(text)) {
    const weight = ALARM.get(stem);
    if (weight !== undefined) found.push(negated ? weight * 0.15 : weight);
    calm += negated ? 0 : (CALM.get(stem) ?? 0);
  }
  found.sort((a, b) => b - a);
  const raised = found.reduce((sum, weight, index) => sum + weight * (index === 0 ? 1 : 0.12), 0);
  // What nearly happened is told with these words; it could have been worse than it was.
  const near = /\b(could have|could've|might have|nearly|almost|close call|near miss|inches|lucky)\b/i.test(text) ? 0.15 : 0;
  return Math.max(0, Math.min(1, raised + near - Math.min(0.3, calm)));
}

export function isAlarmWord(stem: string): boolean {
  return ALARM.has(stem);
}
