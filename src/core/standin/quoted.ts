import { sentences, type Json } from "../ground/index.js";
import type { Verdict } from "./choose.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { sentencesOf } from "./sum-up.js";
import { alarmOf, stems } from "./words.js";

/** A part that is asked for with the words that carry it. */
export interface QuotedPart {
  /** The part itself, as if it were asked for alone. */
  readonly part: AskedPart;
  /** The inputs that the words have to come from, as the prompt names them. */
  readonly from: readonly string[];
}

/** Reads from a part's members that words are wanted with it; `undefined` where none are. */
export function quotedPart(part: AskedPart): QuotedPart | undefined {
  const [words, value, ...more] = part.members ?? [];
  const said = /Words of (.+) that carry the value/.exec(words?.about ?? "");
  if (!said || value?.name !== "value" || more.length > 0) return undefined;
  return {
    part: { ...value, name: part.name, about: `${part.about.replace(/an object with these members:/i, "").trim()} ${value.about}` },
    from: said[1]!.split(/, | or /),
  };
}

/** The sentence that speaks most for a value: one that holds it, else the one with most of what spoke for it. */
export function wordsFor(value: Json, { part, from }: QuotedPart, request: ReadRequest, leading: Verdict | undefined): string | null {
  const named = from.flatMap((name) => request.named[name] ?? []);
  const all = sentencesOf((named.length > 0 ? named : [request.data]).join("\n\n")).filter((sentence) => /[\p{L}\p{N}]/u.test(sentence));
  const because = leading?.because ?? stems(`${part.name} ${part.about} ${typeof value === "string" ? value : ""}`);
  const own = stems(typeof value === "string" ? value : Array.isArray(value) ? value.join(" ") : "");
  const literal = typeof value === "number" ? String(value) : "";
  const weight = (sentence: string): number => {
    const found = [...stems(sentence)];
    const holds = literal !== "" && sentence.includes(literal) ? 10 : 0;
    return (
      holds + found.filter((stem) => own.has(stem)).length * 2 + found.filter((stem) => because.has(stem)).length + alarmOf(sentence) / 10
    );
  };
  const best = all.reduce<{ sentence: string; weight: number } | undefined>((top, sentence) => {
    const own = weight(sentence);
    return !top || own > top.weight ? { sentence, weight: own } : top;
  }, undefined);
  return best ? shortened(best.sentence) : null;
}

const MOST_WORDS = 30;

/** One passage without gaps: the beginning of a long one. */
function shortened(sentence: string): string {
  const words = (sentences(sentence)[0] ?? sentence).trim().split(" ");
  return words.slice(0, MOST_WORDS).join(" ");
}
