import { plainDay, plainDayTime } from "../kinds/index.js";
import { seededChance, sentences, wordPattern, type Json } from "../ground/index.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { alarmOf, bestLikeness, isAlarmWord, likeness, stems, terms, type Term } from "./words.js";

/** How probable the stand-in finds each choice that it makes, by part. */
export function sureOf(request: ReadRequest): Record<string, number> {
  const words = terms(request.data);
  return Object.fromEntries(
    request.parts.filter((part) => part.kind === "choice").map((part) => [part.name, probabilityOf(choose(part, words, request).margin)]),
  );
}

/** What the stand-in makes of one row, part by part; earlier parts may draw on what later ones come to. */
export function weigh(request: ReadRequest): Record<string, Json> {
  const parts = weighParts(request.parts, request);
  return Object.fromEntries(
    request.parts.map((part) => [part.name, part.kind === "text" ? keepRules(parts[part.name] as string, request) : parts[part.name]!]),
  );
}

/** Leaves forbidden words out of a text and adds wanted ones. */
function keepRules(text: string, { forbidden, wanted }: ReadRequest): string {
  const kept = forbidden
    .reduce((rest, word) => rest.replace(wordPattern(word, "giu"), ""), text)
    .replace(/\s+/g, " ")
    .trim();
  return [kept || "(nothing)", ...wanted.filter((word) => !kept.toLowerCase().includes(word.toLowerCase()))].join(" ");
}

interface Verdict {
  readonly option: string;
  /** How far it is ahead of the next. */
  readonly margin: number;
  /** Every option that the words speak for, the strongest first. */
  readonly all: readonly string[];
  /** The stems that spoke for the first. */
  readonly because: ReadonlySet<string>;
}

function weighParts(parts: readonly AskedPart[], request: ReadRequest): Record<string, Json> {
  const words = terms(request.data);
  const first = parts.find((part) => part.kind === "choice" || part.kind === "choices");
  const leading = first && choose(first, words, request);
  return Object.fromEntries(parts.map((part) => [part.name, valueOf(part, request, words, part === first ? leading : undefined, leading)]));
}

function valueOf(
  part: AskedPart,
  request: ReadRequest,
  words: readonly Term[],
  known: Verdict | undefined,
  leading: Verdict | undefined,
): Json {
  switch (part.kind) {
    case "choice":
      return (known ?? choose(part, words, request)).option;
    case "choices":
      return several(part, known ?? choose(part, words, request));
    case "score":
      return score(part, request.data, words);
    case "yesNo":
      return yesNo(part, request.data, words);
    case "date":
      return (part.inWords ? dayWords(request.data) : null) ?? dateIn(request.data, part.time === true);
    case "number":
      return /\bhow sure\b/i.test(part.about) ? sureness(request, words) : numberNear(part, request.data);
    case "found":
      return part.find!(request.data)[0] ?? null;
    case "money":
      return money(part, request.data);
    case "record":
      return weighParts(part.members ?? [], request);
    case "list":
      return part.item?.find
        ? [...new Set(part.item.find(request.data))].slice(0, part.atMost ?? Infinity)
        : part.item && part.item.kind !== "text"
          ? items(part, part.item, request)
          : (part.item?.maxWords ?? Infinity) <= SHORT_WORDS
            ? enumerated(part, request.data)
            : list(part, request.data);
    case "text":
      if (/\bname\b/i.test(part.about) && (part.maxWords ?? Infinity) <= 3) return nameOf(request.data, part);
      return /\b(why|reason|because|evidence|decided)\b/i.test(`${part.name} ${part.about}`)
        ? evidence(part, request.data, leading)
        : summary(part, request.data);
  }
}

/** As many options as are wanted, the strongest first; fewer where the words speak for fewer. */
function several(part: AskedPart, verdict: Verdict): string[] {
  const wanted = [...new Set([verdict.option, ...verdict.all])].slice(0, part.atMost ?? 3);
  for (const { name } of part.options) if (wanted.length < (part.atLeast ?? 0) && !wanted.includes(name)) wanted.push(name);
  return wanted;
}

/** One item a sentence that has something to say, weighed by itself. */
function items(part: AskedPart, item: AskedPart, request: ReadRequest): Json[] {
  const most = part.atMost ?? 3;
  const found: Json[] = [];
  for (const sentence of sentencesOf(request.data)) {
    if (found.length >= most) break;
    const words = terms(sentence);
    if (words.length < 2) continue;
    const value = valueOf(item, { ...request, data: sentence }, words, undefined, undefined);
    if (value !== null && !(item.kind === "choice" && found.includes(value))) found.push(value);
  }
  while (found.length < (part.atLeast ?? 0)) found.push(valueOf(item, request, terms(request.data), undefined, undefined));
  return found;
}

const NAME_WEIGHT = 2.2;
const ABOUT_WEIGHT = 1;
const RULE_WEIGHT = 0.8;
const EXAMPLE_WEIGHT = 0.6;
const NEGATED = 0.15;
/** Below this the words of an option hardly occur, and what fits none of the others is the better answer. */
const HARDLY = 0.9;

function choose(part: AskedPart, words: readonly Term[], request: ReadRequest): Verdict {
  const profiles = part.options.map((option) => profileOf(option, part, request));
  const spread = new Map<string, number>();
  for (const profile of profiles) for (const stem of profile.keys()) spread.set(stem, (spread.get(stem) ?? 0) + 1);
  const seen = new Map<string, number>();
  for (const { stem, negated } of words)
    seen.set(stem, Math.min(1.6, (seen.get(stem) ?? 0) + (negated ? NEGATED : 1) * (seen.has(stem) ? 0.3 : 1)));

  const chance = seededChance(request.noise.seed);
  const results = profiles.map((profile, index) => {
    let sum = 0;
    const because = new Set<string>();
    for (const [stem, count] of seen) {
      let best = 0;
      for (const [own, weight] of profile) {
        const like = likeness(stem, own);
        if (like > 0) best = Math.max(best, like * weight * Math.log(1 + profiles.length / spread.get(own)!));
      }
      if (best > 0) because.add(stem);
      sum += best * count;
    }
    return {
      option: part.options[index]!,
      sum: sum + (request.noise.strength > 0 ? NOISE * request.noise.strength * (chance.whole(1000) / 500 - 1) : 0),
      because,
    };
  });
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

/** How far chance moves an option's weight at temperature 1. */
const NOISE = 1.2;

/** The probability that a margin stands for, as a logistic curve. */
export const probabilityOf = (margin: number): number => 1 / (1 + Math.exp(-1.8 * margin));

/** How sure of all choices: the least sure of them. */
function sureness(request: ReadRequest, words: readonly Term[]): number {
  const margins = request.parts.filter((part) => part.kind === "choice").map((part) => choose(part, words, request).margin);
  return Math.round(100 * Math.min(0.95, ...margins.map(probabilityOf))) / 100;
}

/** Items of so few words are named, not summed up. */
const SHORT_WORDS = 6;

/** What a text enumerates: `into mooring, machinery or galley`. */
function enumerated(part: AskedPart, text: string): string[] {
  const row =
    /(?:\b(?:into|as|of|in|between|among|whether|one of|either)\b|[:(])\s*((?:[\p{L}\p{N}' -]{2,40}, )*[\p{L}\p{N}' -]{2,40},? (?:or|and) [\p{L}\p{N}' -]{2,40})/iu.exec(
      text,
    )?.[1];
  const found = (row ?? "")
    .split(/, (?:or |and )?| or | and /)
    .map((item) => item.trim().replace(/^(?:a|an|the) /i, ""))
    .filter((item) => item !== "" && item.split(" ").length <= (part.item?.maxWords ?? 9));
  return [...new Set(found)].slice(0, part.atMost ?? 12);
}

/** The word of a text that says most: the longest that is no common one. */
function nameOf(text: string, part: AskedPart): string {
  const words = (text.match(/\p{L}{3,}/gu) ?? [])
    .slice(0, 12)
    .filter(
      (word) =>
        terms(word).length > 0 && !/^(decide|sort|score|rate|list|sum|tell|find|each|every|also|write|give|report|row)s?$/i.test(word),
    );
  return clip(words.reduce((best, word) => (word.length > best.length ? word : best), words[0] ?? "value").toLowerCase(), part);
}

/** The first amount that stands beside a currency that may be named. */
function money(part: AskedPart, text: string): Json {
  const codes = part.currencies ?? [];
  const amount = String.raw`\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?`;
  const found = new RegExp(`\\b(${codes.join("|")})\\s*(${amount})|(${amount})\\s*(${codes.join("|")})\\b`).exec(text);
  if (!found) return null;
  return { amount: Number((found[2] ?? found[3])!.replaceAll(",", "")), currency: (found[1] ?? found[4])! };
}

/** Words that name a day from another day; the last ones, which were written last. */
function dayWords(text: string): string | null {
  const count = "(?:\\d+|a|an|one|two|three|four|five|six)";
  const found = new RegExp(
    `\\b(the day after tomorrow|tomorrow|yesterday|today|in ${count} (?:day|week|month)s?|${count} (?:day|week|month)s? ago|(?:next|last|this) (?:week|month|(?:mon|tues|wednes|thurs|fri|satur|sun)day)|(?:on )?(?:mon|tues|wednes|thurs|fri|satur|sun)day)\\b`,
    "gi",
  );
  return [...text.matchAll(found)].at(-1)?.[1] ?? null;
}

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

function score(part: AskedPart, text: string, words: readonly Term[]): number {
  const from = part.from ?? 1;
  const to = part.to ?? 5;
  const step = part.step ?? 1;
  const onScale = (value: number): number => Number((from + Math.round((value - from) / step) * step).toFixed(6));
  const alarming =
    part.scale.length === 0 ||
    part.scale.some(({ about }) => [...stems(about)].some(isAlarmWord)) ||
    /sever|urgen|risk|bad|danger|harm|serious/i.test(part.about);
  // Whoever writes at length without a grave word still writes about something.
  let level = Math.max(alarmOf(text), Math.min(0.35, 0.04 * words.length));
  if (!alarming) level = 1 - level;
  const toned = from + level * (to - from);
  const matches = part.scale
    .map(({ point, about }) => ({ point, overlap: overlap(words, stems(about)) }))
    .filter(({ overlap: share }) => share > 0.2);
  if (matches.length === 0) return onScale(toned);
  // A described point that the text speaks of draws the score towards it.
  const pull = Math.min(0.6, Math.max(...matches.map(({ overlap: share }) => share)));
  const total = matches.reduce((sum, { overlap: share }) => sum + share, 0);
  const described = matches.reduce((sum, { point, overlap: share }) => sum + (point * share) / total, 0);
  return onScale(toned * (1 - pull) + described * pull);
}

/** Share of a description's words that a text speaks of without negating them. */
function overlap(words: readonly Term[], described: ReadonlySet<string>): number {
  if (described.size === 0) return 0;
  const said = new Set(words.filter((word) => !word.negated).map((word) => word.stem));
  let hits = 0;
  for (const stem of described) hits += bestLikeness(stem, said);
  return hits / described.size;
}

const WANTED =
  /\b(please|need(s|ed)?|must|should|can (someone|somebody|you|we)|could (someone|somebody)|request(ed|ing)?|require[sd]?|urgent(ly)?|asap|to be (replaced|repaired|checked|fixed|inspected|ordered)|still (broken|leaking|loose|missing|out)|not (yet )?(fixed|repaired|replaced|working)|won't|out of (order|service)|awaiting|pending|follow[- ]?up|investigate|order(ed)? (a )?new|unserviceable|defect(ive)?)\b/gi;
const SETTLED =
  /\b(all (ok|good|fine|clear|normal)|no (further )?(action|issues?|damage|injur(y|ies))|(?<!\b(?:be|not|been|get) )(?:fixed|repaired|replaced|resolved|cleaned up|sorted)|working again|made safe|completed|dealt with|nothing (further|to report|more))\b/gi;

function yesNo(part: AskedPart, text: string, words: readonly Term[]): boolean {
  const question = part.about.replace(/true \(.*?\) or false \(.*?\)/gi, " ");
  if (
    /\b(act|action|follow|followup|fix|repair|respond|reply|do something|attention)\b/i.test(
      `${part.name.replace(/([A-Z])/g, " $1")} ${question}`,
    )
  ) {
    const wanted = [...text.matchAll(WANTED)].length;
    const settled = [...text.matchAll(SETTLED)].length;
    return wanted > settled || (wanted === settled && alarmOf(text) > 0.6);
  }
  return overlap(words, stems(question)) >= 0.34;
}

function dateIn(text: string, withTime: boolean): string | null {
  const day = /\d{4}-\d{1,2}-\d{1,2}|\d{1,2}\.? [A-Z][a-z]{2,8}\.?,? \d{4}|[A-Z][a-z]{2,8}\.? \d{1,2},? \d{4}/;
  const time = /(?:T|,? (?:at )?)\d{1,2}[:.]\d{2}(?: ?[ap]\.?m\.?)?/;
  for (const [found] of text.matchAll(new RegExp(withTime ? `(?:${day.source})${time.source}` : day.source, "g"))) {
    const value = withTime ? plainDayTime(found) : plainDay(found);
    if (value) return value;
  }
  return null;
}

/** The number that stands nearest to words of the question; the first one where none does. */
function numberNear(part: AskedPart, text: string): number | null {
  const wanted = stems(part.about);
  // Days and times are no amounts.
  const amounts = text.replace(/\d{4}-\d{1,2}-\d{1,2}|\b\d{1,2}[:.]\d{2}\b(?! ?[a-z]*\d)|\d{1,2}\.? [A-Z][a-z]{2,8}\.?,? \d{4}/g, (found) =>
    " ".repeat(found.length),
  );
  let best: { value: number; near: number } | undefined;
  for (const match of amounts.matchAll(/-?\d{1,3}(?:,\d{3})+(?:\.\d+)?|-?\d+(?:\.\d+)?/g)) {
    const value = Number(match[0].replaceAll(",", ""));
    if ((part.from !== undefined && value < part.from) || (part.to !== undefined && value > part.to)) continue;
    const around = text.slice(Math.max(0, match.index - 40), match.index + match[0].length + 40);
    const near = [...stems(around)].filter((stem) => wanted.has(stem)).length;
    if (!best || near > best.near) best = { value, near };
  }
  // The prompt may say what to answer where the data names none.
  const otherwise = /(-?\d+(?:\.\d+)?) if none\b/.exec(part.about)?.[1];
  return best?.value ?? (otherwise === undefined ? null : Number(otherwise));
}

/** Sentences of all data; a blank line parts one input from the next. */
function sentencesOf(text: string): string[] {
  return text.split(/\n{2,}/).flatMap((block) => sentences(block.replace(/\s+/g, " ")));
}

/** The sentences most like the whole text, the first ones preferred. */
function ranked(text: string): { sentence: string; index: number; weight: number }[] {
  const all = sentencesOf(text);
  const whole = new Map<string, number>();
  for (const { stem } of terms(text)) whole.set(stem, (whole.get(stem) ?? 0) + 1);
  return all
    .map((sentence, index) => {
      const own = [...stems(sentence)];
      const shared = own.reduce((sum, stem) => sum + Math.log(1 + (whole.get(stem) ?? 0)), 0) / Math.sqrt(own.length + 2);
      return { sentence, index, weight: shared + alarmOf(sentence) + (index === 0 && own.length > 3 ? 0.5 : 0) };
    })
    .sort((a, b) => b.weight - a.weight);
}

/** A text with room for it takes as many of the weightiest sentences as fit, in their own order. */
const ROOMY = 300;

function summary(part: AskedPart, text: string): string {
  const best = ranked(text);
  if ((part.maxChars ?? 0) < ROOMY || part.maxSentences === 1) return clip(best[0]?.sentence ?? "Nothing to summarise", part);
  let room = part.maxChars!;
  const kept = best.slice(0, part.maxSentences ?? best.length).filter(({ sentence }) => {
    const fits = sentence.length + 1 <= room;
    if (fits) room -= sentence.length + 1;
    return fits;
  });
  return kept.length === 0
    ? clip(best[0]?.sentence ?? "Nothing to summarise", part)
    : kept
        .sort((a, b) => a.index - b.index)
        .map(({ sentence }) => sentence)
        .join(" ");
}

/** The words that decided: the sentence with most of what spoke for the leading verdict. */
function evidence(part: AskedPart, text: string, leading: Verdict | undefined): string {
  const best = sentencesOf(text)
    .map((sentence) => ({ sentence, hits: [...stems(sentence)].filter((stem) => leading?.because.has(stem)).length }))
    .reduce<{ sentence: string; hits: number } | undefined>((top, next) => (!top || next.hits > top.hits ? next : top), undefined);
  return clip(best?.sentence ?? "No words in the text speak for any option", part);
}

function list(part: AskedPart, text: string): string[] {
  const all = ranked(text).map(({ sentence }) => clip(sentence, part));
  const wished = all.filter((sentence) => sentence.search(WANTED) >= 0);
  const most = part.atMost ?? 3;
  const chosen = [...new Set([...wished, ...all])].slice(0, Math.max(part.atLeast ?? 0, Math.min(most, Math.max(wished.length, 1))));
  while (chosen.length < (part.atLeast ?? 0)) chosen.push("Nothing more is stated");
  return chosen;
}

/** Cuts at a word so that a limit holds. */
function clip(sentence: string, { maxChars = 240, maxWords = Infinity }: AskedPart): string {
  let words = sentence.split(" ");
  if (words.length > maxWords) words = words.slice(0, maxWords);
  let text = words.join(" ");
  if (text.length > maxChars) text = `${text.slice(0, maxChars - 1).replace(/\s+\S*$/, "")}…`;
  return text;
}
