import { fold, withoutHyphens, type Folded } from "./fold.js";

/** Where a quotation stands in a text, in UTF-16 units; `to` is behind its last one. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

/** A text in which quotations are looked for; it is folded once, when the first one is. */
export interface Quotable {
  find(quotation: string): Span | undefined;
}

/**
 * Looks for quotations in a text letter by letter; only white space, quotes, hyphens and case may differ. What is found begins and ends
 * where words and numbers do, so that "art" does not stand in "start", nor "1" in "1.5".
 *
 * @example quotable("The “aft”  line\nparted.").find('the "aft" line') // { from: 0, to: 15 }
 */
export function quotable(text: string): Quotable {
  let folded: Folded | undefined;
  let joined: Folded | undefined;
  return {
    find: (quotation) => {
      const words = stripped(fold(quotation).text);
      if (!/[\p{L}\p{N}]/u.test(words)) return undefined;
      folded ??= fold(text);
      const found = findIn(folded, words, text);
      if (found || !folded.hasBroken) return found;
      joined ??= withoutHyphens(folded);
      return findIn(joined, words.replace(/(?<=\p{L})-(?=\p{L})/gu, ""), text);
    },
  };
}

/** What a model puts around a quotation is none of it: quotes, dots that stand for what was left out. */
const stripped = (words: string): string => words.replace(/^(?:["\s]|…|\.\.\.)+|(?:["\s]|…|\.\.\.)+$/g, "");

function findIn(folded: Folded, words: string, text: string): Span | undefined {
  for (let at = folded.text.indexOf(words); at >= 0; at = folded.text.indexOf(words, at + 1)) {
    if (splitsBefore(folded.text, at) || splitsBehind(folded.text, at + words.length)) continue;
    return { from: folded.places[at]!, to: endOf(folded, at + words.length, text) };
  }
  return undefined;
}

/** Behind the last unit that belongs to the quotation: what is folded away behind it does not. */
function endOf({ places }: Folded, end: number, text: string): number {
  const from = places[end - 1]!;
  const next = places[end]!;
  // A letter may take several units, with its marks.
  const own = /^(?:\P{M}\p{M}*)/u.exec(text.slice(from, next));
  return from + (own?.[0].length ?? 1);
}

/** Scripts that put no spaces between words: a quotation may begin anywhere. */
const UNSPACED = /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Thai}\p{Script=Lao}\p{Script=Khmer}\p{Script=Myanmar}]/u;
const WORD = /[\p{L}\p{N}]/u;
const isDigit = (char: string): boolean => /\p{Nd}/u.test(char);

function isOneWord(before: string, behind: string): boolean {
  return WORD.test(before) && WORD.test(behind) && !(UNSPACED.test(before) || UNSPACED.test(behind));
}

/** The whole character before a place: a pair of surrogates is one. */
const charBefore = (text: string, at: number): string =>
  at <= 0 ? "" : /[\udc00-\udfff]/.test(text[at - 1]!) && at > 1 ? text.slice(at - 2, at) : text[at - 1]!;
const charAt = (text: string, at: number): string => (at >= text.length ? "" : String.fromCodePoint(text.codePointAt(at)!));

/** A dot or comma between digits belongs to their number. */
const isInNumber = (before: string, sign: string, behind: string): boolean => /[.,]/.test(sign) && isDigit(before) && isDigit(behind);

function splitsBefore(text: string, at: number): boolean {
  const [before, first] = [charBefore(text, at), charAt(text, at)];
  if (isOneWord(before, first)) return true;
  return isInNumber(charBefore(text, at - 1), before, first) || isInNumber(before, first, charAt(text, at + 1));
}

function splitsBehind(text: string, end: number): boolean {
  const [last, next] = [charBefore(text, end), charAt(text, end)];
  if (isOneWord(last, next)) return true;
  return isInNumber(last, next, charAt(text, end + 1)) || isInNumber(charBefore(text, end - 1), last, next);
}
