import { plainDay, plainDayTime } from "../kinds/index.js";
import type { Json } from "../ground/index.js";
import type { AskedPart } from "./read-request.js";
import { clip } from "./sum-up.js";
import { stems, terms } from "./words.js";

/** What a text enumerates: `into mooring, machinery or galley`. */
export function enumerated(part: AskedPart, text: string): string[] {
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
export function nameOf(text: string, part: AskedPart): string {
  const words = (text.match(/\p{L}{3,}/gu) ?? [])
    .slice(0, 12)
    .filter(
      (word) =>
        terms(word).length > 0 && !/^(decide|sort|score|rate|list|sum|tell|find|each|every|also|write|give|report|row)s?$/i.test(word),
    );
  return clip(words.reduce((best, word) => (word.length > best.length ? word : best), words[0] ?? "value").toLowerCase(), part);
}

/** The first amount that stands beside a currency that may be named. */
export function money(part: AskedPart, text: string): Json {
  const codes = part.currencies ?? [];
  const amount = String.raw`\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?`;
  const found = new RegExp(`\\b(${codes.join("|")})\\s*(${amount})|(${amount})\\s*(${codes.join("|")})\\b`).exec(text);
  if (!found) return null;
  return { amount: Number((found[2] ?? found[3])!.replaceAll(",", "")), currency: (found[1] ?? found[4])! };
}

/** Words that name a day from another day; the last ones, which were written last. */
export function dayWords(text: string): string | null {
  const count = "(?:\\d+|a|an|one|two|three|four|five|six)";
  const found = new RegExp(
    `\\b(the day after tomorrow|tomorrow|yesterday|today|in ${count} (?:day|week|month)s?|${count} (?:day|week|month)s? ago|(?:next|last|this) (?:week|month|(?:mon|tues|wednes|thurs|fri|satur|sun)day)|(?:on )?(?:mon|tues|wednes|thurs|fri|satur|sun)day)\\b`,
    "gi",
  );
  return [...text.matchAll(found)].at(-1)?.[1] ?? null;
}

/** The day that stands nearest to words of the question; the first one where none does. */
export function dateIn(text: string, withTime: boolean, about = ""): string | null {
  const wanted = stems(about);
  let best: { readonly value: string; readonly near: number } | undefined;
  const day = /\d{4}-\d{1,2}-\d{1,2}|\d{1,2}\.? [A-Z][a-z]{2,8}\.?,? \d{4}|[A-Z][a-z]{2,8}\.? \d{1,2},? \d{4}/;
  const time = /(?:T|,? (?:at )?)\d{1,2}[:.]\d{2}(?: ?[ap]\.?m\.?)?/;
  for (const { 0: found, index } of text.matchAll(new RegExp(withTime ? `(?:${day.source})${time.source}` : day.source, "g"))) {
    const value = withTime ? plainDayTime(found) : plainDay(found);
    // What a day is stands before it, on its line.
    const before = text.slice(0, index).split("\n").at(-1)!.slice(-60);
    const near = [...stems(before)].filter((stem) => wanted.has(stem)).length;
    if (value && (!best || near > best.near)) best = { value, near };
  }
  return best?.value ?? null;
}

/** The number that stands nearest to words of the question; the first one where none does. */
export function numberNear(part: AskedPart, text: string): number | null {
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
