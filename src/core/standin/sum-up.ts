import { sentences } from "../ground/index.js";
import type { Verdict } from "./choose.js";
import type { AskedPart } from "./read-request.js";
import { alarmOf, stems, terms } from "./words.js";
import { WANTED } from "./yes-no.js";

/** Sentences of all data; a blank line parts one input from the next. */
export function sentencesOf(text: string): string[] {
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

export function summary(part: AskedPart, text: string): string {
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
export function evidence(part: AskedPart, text: string, leading: Verdict | undefined): string {
  const best = sentencesOf(text)
    .map((sentence) => ({ sentence, hits: [...stems(sentence)].filter((stem) => leading?.because.has(stem)).length }))
    .reduce<{ sentence: string; hits: number } | undefined>((top, next) => (!top || next.hits > top.hits ? next : top), undefined);
  return clip(best?.sentence ?? "No words in the text speak for any option", part);
}

export function list(part: AskedPart, text: string): string[] {
  const all = ranked(text).map(({ sentence }) => clip(sentence, part));
  const wished = all.filter((sentence) => sentence.search(WANTED) >= 0);
  const most = part.atMost ?? 3;
  const chosen = [...new Set([...wished, ...all])].slice(0, Math.max(part.atLeast ?? 0, Math.min(most, Math.max(wished.length, 1))));
  while (chosen.length < (part.atLeast ?? 0)) chosen.push("Nothing more is stated");
  return chosen;
}

/** Cuts at a word so that a limit holds. */
export function clip(sentence: string, { maxChars = 240, maxWords = Infinity }: AskedPart): string {
  let words = sentence.split(" ");
  if (words.length > maxWords) words = words.slice(0, maxWords);
  let text = words.join(" ");
  if (text.length > maxChars) text = `${text.slice(0, maxChars - 1).replace(/\s+\S*$/, "")}…`;
  return text;
}
