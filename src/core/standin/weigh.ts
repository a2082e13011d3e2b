import { wordPattern, type Json } from "../ground/index.js";
import { choose, probabilityOf, type Verdict } from "./choose.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { quotedPart, withWords } from "./quoted.js";
import { score } from "./score.js";
import { readTableQuestion } from "./table-question.js";
import { evidence, list, sentencesOf, summary } from "./sum-up.js";
import { dateIn, dayWords, enumerated, money, nameOf, numberNear } from "./take-out.js";
import { terms, type Term } from "./words.js";
import { yesNo } from "./yes-no.js";

/** How probable the stand-in finds each choice that it makes, by part. */
export function sureOf(request: ReadRequest): Record<string, number> {
  const words = terms(request.data);
  return Object.fromEntries(
    request.parts.filter((part) => part.kind === "choice").map((part) => [part.name, probabilityOf(choose(part, words, request).margin)]),
  );
}

/** What the stand-in makes of one row, part by part; earlier parts may draw on what later ones come to. */
export function weigh(request: ReadRequest): Record<string, Json> {
  const asked = readTableQuestion(request);
  if (asked) return asked;
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

function weighParts(parts: readonly AskedPart[], request: ReadRequest): Record<string, Json> {
  const words = terms(request.data);
  const asked = parts.map((part) => ({ quoted: quotedPart(part), part: quotedPart(part)?.part ?? part }));
  const first = asked.find(({ part }) => part.kind === "choice" || part.kind === "choices")?.part;
  const leading = first && choose(first, words, request);
  return Object.fromEntries(
    asked.map(({ part, quoted }) => {
      const known = part === first ? leading : undefined;
      const value = valueOf(part, request, words, known, leading);
      return [part.name, quoted ? withWords(value, quoted, request, known) : value];
    }),
  );
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
      return (part.inWords ? dayWords(request.data) : null) ?? dateIn(request.data, part.time === true, part.about);
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

/** How sure of all choices: the least sure of them. */
function sureness(request: ReadRequest, words: readonly Term[]): number {
  const margins = request.parts.filter((part) => part.kind === "choice").map((part) => choose(part, words, request).margin);
  return Math.round(100 * Math.min(0.95, ...margins.map(probabilityOf))) / 100;
}

/** Items of so few words are named, not summed up. */
const SHORT_WORDS = 6;
