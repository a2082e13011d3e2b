import { plainDay, plainDayTime } from "../kinds/index.js";
import { seededChance, sentences, wordPattern, type Json } from "../ground/index.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { gladness, gravity, isFaulty, isIdle, settledIn } from "./tone.js";
import type { WordSense } from "./word-sense.js";
import { alarmOf, isAlarmWord, likeness, stems, terms, type Term } from "./words.js";

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
      return score(part, request, words);
    case "yesNo":
      return yesNo(part, request, words);
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

function choose(part: AskedPart, words: readonly Term[], request: ReadRequest): Verdict {
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

/** 1 for the same stem, less for words that mean something like it. */
function likenessIn(a: string, b: string, sense: WordSense | undefined): number {
  const listed = likeness(a, b);
  if (listed > 0 || !sense) return listed;
  const alike = sense.alike(a, b);
  return alike === undefined || alike < ALIKE ? 0 : Math.min(0.75, (alike - ALIKE) * ALIKE_SLOPE + 0.12);
}

/** Below this, words have little to do with each other. */
const ALIKE = 0.44;
const ALIKE_SLOPE = 1.4;

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

/** A point's tone, as its description sounds. */
interface PointTone {
  readonly point: number;
  readonly about: string;
  readonly glad: number;
  readonly grave: number;
}

/**
 * Where a text stands on a scale. What the scale is about is read from its points: whether they go from sad to glad, or from harmless to
 * grave; then the text's own tone is placed between theirs, and points whose words it speaks draw it towards them.
 */
function score(part: AskedPart, request: ReadRequest, words: readonly Term[]): number {
  const { data: text, sense } = request;
  const from = part.from ?? 1;
  const to = part.to ?? 5;
  const step = part.step ?? 1;
  const onScale = (value: number): number =>
    Math.max(from, Math.min(to, Number((from + Math.round((value - from) / step) * step).toFixed(6))));
  const points = part.scale.map(({ point, about }): PointTone => ({
    point,
    about,
    glad: gladness(about, sense),
    grave: pointGravity(about, sense),
  }));
  const [low, high] = [points[0], points.at(-1)];
  const gladSpan = low && high ? high.glad - low.glad : 0;
  const graveSpan = low && high ? high.grave - low.grave : 0;
  const asksOfHarm = /sever|urgen|risk|bad|danger|harm|serious|grav/i.test(part.about);
  // A scale that rises from nothing to harm falls in gladness, too, and yet is about harm.
  const isOfGladness = !asksOfHarm && Math.abs(gladSpan) > 0.5 && graveSpan <= 0.3;
  const ends = low && high && points.length > 1;
  let placed: number;
  if (ends && isOfGladness) {
    const glad = gladness(text, sense);
    const share = (glad * 0.9 + 1) / 2;
    placed = gladSpan > 0 ? from + share * (to - from) : to - share * (to - from);
  } else {
    const alarming =
      part.scale.length === 0 ||
      asksOfHarm ||
      Math.abs(graveSpan) > 0.1 ||
      part.scale.some(({ about }) => [...stems(about)].some(isAlarmWord));
    // Whoever writes at length without a grave word still writes about something.
    let level = Math.max(1.15 * gravity(text, sense), isIdle(text) ? 0 : Math.min(0.35, 0.04 * words.length) * (1 - settledIn(text)));
    if (!alarming || graveSpan < -0.1) level = 1 - level;
    placed = from + Math.min(1, level) * (to - from);
  }
  if (points.length < 2) return onScale(placed);
  const shares = points.map(({ point, about }) => ({ point, share: described(about, text, words, request) }));
  const best = Math.max(...shares.map(({ share }) => share));
  // A mere question, or thanks, is what a point that says so is for.
  const idle = isIdle(text)
    ? points.find(({ about }) => /\bquestion\b/i.test(about))
    : settledIn(text) >= 0.5
      ? points.find(({ about }) => DONE_POINT.test(about))
      : undefined;
  if (idle) return onScale(idle.point * 0.85 + placed * 0.15);
  if (best <= 0.12) return onScale(placed);
  // Points that the text speaks of draw it towards them, the likelier ones more.
  const weights = shares.map(({ point, share }) => ({ point, weight: share ** 2 * Math.exp(-0.25 * Math.abs(point - placed)) }));
  const total = weights.reduce((sum, { weight }) => sum + weight, 0);
  const spoken = weights.reduce((sum, { point, weight }) => sum + (point * weight) / total, 0);
  const pull = Math.min(0.85, best * 0.7 + Math.max(0, best - 0.5) * 0.8);
  return onScale(placed * (1 - pull) + spoken * pull);
}

const DONE_POINT = /\b(thanks|thank|settled|mended|over|resolved|done already)\b/i;

/** Descriptions tell gravity by what they name first; what stands behind a colon are cases of it. */
const pointGravity = (about: string, sense: WordSense | undefined): number =>
  /\bnothing\b|\bno care\b|\bnot? needed\b|\bcan wait\b|\broutine\b|\bsmall\b/i.test(about.split(":")[0]!) ? 0 : gravity(about, sense);

/** How much a text speaks of what a description says, 0 to 1: its telling words count, each as well as some word of the text meets it. */
function described(about: string, text: string, words: readonly Term[], { sense }: ReadRequest): number {
  // Each case that a description lists stands by itself: one of them is enough.
  const cases = about
    .split(/[:;,]| or /)
    .map((one) => terms(one))
    .filter((own) => own.length > 0);
  let best = 0;
  for (const own of cases) {
    let [hit, of] = [0, 0];
    for (const { stem, negated } of own) {
      const weight = sense ? sense.telling(stem) : 1;
      let near = 0;
      for (const word of words) {
        const like = likenessIn(word.stem, stem, sense);
        near = Math.max(near, word.negated === negated ? like : like * 0.3);
      }
      hit += near * weight;
      of += weight;
    }
    // A case that is half met may be about quite another thing of the same kind.
    best = Math.max(best, of === 0 ? 0 : (hit / of) ** 2 * Math.min(1, 0.55 + 0.2 * own.length));
  }
  const says = (cue: RegExp): boolean => cue.test(about);
  if (says(/\bquestion\b/i) && isIdle(text)) best = Math.max(best, 0.7);
  if (says(/\b(thanks|thank|settled|done|mended|over)\b/i) && settledIn(text) > 0) best = Math.max(best, 0.4 + 0.5 * settledIn(text));
  return best;
}

const WANTED =
  /\b(please|need(s|ed)?|must|should|can (someone|somebody|you|we)|could (someone|somebody)|request(ed|ing)?|require[sd]?|urgent(ly)?|asap|to be (replaced|repaired|checked|fixed|inspected|ordered)|still (broken|leaking|loose|missing|out)|not (yet )?(fixed|repaired|replaced|working)|won't|out of (order|service)|awaiting|pending|follow[- ]?up|investigate|order(ed)? (a )?new|unserviceable|defect(ive)?)\b/gi;
const DONE =
  /\b(all (ok|good|fine|clear|normal)|no (further )?(action|issues?|damage|injur(y|ies))|(?<!\b(?:be|not|been|get) )(?:fixed|repaired|replaced|resolved|cleaned up|sorted)|working again|made safe|completed|dealt with|nothing (further|to report|more))\b/gi;

/** What a question says of its yes and its no: `yes: it is broken; no: a question`, `true (act) or false (leave)`. */
function meaningsOf(about: string): { readonly yes: string; readonly no: string } {
  const [, yesWord = "", noWord = ""] = /true \((.*?)\) or false \((.*?)\)/i.exec(about) ?? [];
  const told = about.replace(/true \(.*?\) or false \(.*?\)/gi, " ");
  const part = (word: string): string =>
    new RegExp(`\\b${word}\\b(?: (?:if|when|where|means))?:?\\s*([^;.]+)`, "i").exec(told)?.[1]?.trim() ?? "";
  const own = (word: string): string => (/^(yes|no)$/i.test(word) ? "" : word);
  return {
    yes: [/\b(yes|true)\b *(:|if|when|where|means)/i.test(told) ? part("(?:yes|true)") : "", own(yesWord)].filter(Boolean).join(", "),
    no: [/\b(no|false)\b *(:|if|when|where|means)/i.test(told) ? part("(?:no|false)") : "", own(noWord)].filter(Boolean).join(", "),
  };
}

function yesNo(part: AskedPart, request: ReadRequest, words: readonly Term[]): boolean {
  const { data: text, sense } = request;
  const { yes, no } = meaningsOf(part.about);
  const question = part.about.replace(/true \(.*?\) or false \(.*?\)/gi, " ").replace(/\b(yes|no)\s*:[^;.]*[;.]?/gi, " ");
  const isOfActing = /\b(act|action|follow|followup|fix|repair|respond|reply|do something|attention|come|visit)\b/i.test(
    `${part.name.replace(/([A-Z])/g, " $1")} ${question}`,
  );
  const wanted = [...text.matchAll(WANTED)].length;
  const settled = [...text.matchAll(DONE)].length + settledIn(text);
  if (yes === "" && no === "") {
    if (isOfActing) return wanted > settled || (wanted === settled && alarmOf(text) > 0.6);
    return overlap(words, stems(question), sense) >= 0.34;
  }
  // Described: the side that the text speaks of more, and whose tone it has.
  const [forYes, forNo] = [described(yes || question, text, words, request), no === "" ? 0.15 : described(no, text, words, request)];
  const tone = (of: (about: string, by: WordSense | undefined) => number): number => {
    const span = of(yes || question, sense) - of(no, sense);
    const middle = (of(yes || question, sense) + of(no, sense)) / 2;
    return Math.abs(span) < 0.2 ? 0 : Math.sign(span) * (of(text, sense) - middle);
  };
  // Faults speak for a yes that is about what is broken.
  const isOfFaults = /\b(broken|repair\w*|fault\w*|mend\w*|not work\w*|does not|fix\w*|defect\w*)\b/i.test(yes);
  const faulty = isOfFaults ? (isFaulty(text) ? 0.35 : -0.1) : 0;
  const done =
    (isOfActing ? 0.5 * (Math.min(2, wanted) * 0.5 - settled) : 0) + faulty - (isIdle(text) && /\bquestion\b/i.test(no) ? 0.4 : 0);
  return forYes - forNo + 0.7 * tone(gladness) + 0.7 * tone(gravity) + done > 0;
}

/** Share of a question's words that a text speaks of without negating them. */
function overlap(words: readonly Term[], asked: ReadonlySet<string>, sense: WordSense | undefined): number {
  if (asked.size === 0) return 0;
  const said = words.filter((word) => !word.negated);
  let hits = 0;
  for (const stem of asked) hits += Math.max(0, ...said.map((word) => likenessIn(word.stem, stem, sense)));
  return hits / asked.size;
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
