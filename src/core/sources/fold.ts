/** A text in the form in which quotations are looked for, with the way back to its own characters. */
export interface Folded {
  readonly text: string;
  /** Where each UTF-16 unit of the folded text begins in the text itself; one more for its end. */
  readonly places: Uint32Array;
  /** Whether a word was broken over two lines with a hyphen, so that it may be quoted without. */
  readonly hasBroken: boolean;
}

const QUOTES = "\"'`´‘’‚‛“”„‟‹›«»′″＂＇「」『』";
const HYPHENS = "-‐‑‒–—―−﹣－";
/** Soft hyphen, zero-width characters, the mark of a text's beginning: nobody sees them. */
const UNSEEN = "­​‌‍⁠﻿";
const LIGATURES: Readonly<Record<string, string>> = { ﬀ: "ff", ﬁ: "fi", ﬂ: "fl", ﬃ: "ffi", ﬄ: "ffl", ﬅ: "st", ﬆ: "st" };

const [SPACE, QUOTE, HYPHEN, DROP] = [1, 2, 3, 4];
const CLASSES = new Map<number, number>();
for (const [chars, what] of [
  [QUOTES, QUOTE],
  [HYPHENS, HYPHEN],
  [UNSEEN, DROP],
] as const)
  for (const char of chars) CLASSES.set(char.charCodeAt(0), what!);
for (const char of "\t\n\v\f\r  ᠎           \u2028\u2029  　") CLASSES.set(char.charCodeAt(0), SPACE!);

const HYPHEN_CODE = 45;
const isLineBreak = (code: number): boolean => code === 10 || code === 13 || code === 12 || code === 0x2028 || code === 0x2029;

/**
 * Folds a text: runs of white space are one space, quotes and hyphens one of each, letters small, what nobody sees gone. A hyphen at the
 * end of a line holds its word together. All else stays letter by letter, digits and signs included.
 */
export function fold(text: string): Folded {
  const most = text.length * 3 + 1;
  const units = new Uint16Array(most);
  const places = new Uint32Array(most);
  let length = 0;
  let hasBroken = false;
  const put = (code: number, at: number): void => {
    units[length] = code;
    places[length++] = at;
  };
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code < 128 && code > 32 && code !== 34 && code !== 39 && code !== 45 && code !== 96) {
      // A mark that combines with it makes another letter of it.
      if (text.charCodeAt(at + 1) >= 0x300 && isMark(text, at + 1)) at = putComposed(text, at, put);
      else put(code >= 65 && code <= 90 ? code + 32 : code, at);
      continue;
    }
    const what = CLASSES.get(code);
    if (what === SPACE) {
      if (length > 0 && units[length - 1] === 32) continue;
      const end = spacesFrom(text, at);
      if (isBroken(units, length, text, at, end)) hasBroken = true;
      else put(32, at);
      at = end - 1;
    } else if (what === QUOTE) put(34, at);
    else if (what === HYPHEN) put(HYPHEN_CODE, at);
    else if (what === DROP) continue;
    else if (kindOfUnit(code) === PLAIN && !isMark(text, at + 1)) put(smalls[code]!, at);
    else at = putComposed(text, at, put);
  }
  const end = Uint32Array.from(places.subarray(0, length + 1));
  end[length] = text.length;
  return { text: textOf(units.subarray(0, length)), places: end, hasBroken };
}

/** A letter with the marks that combine with it, in one form, small; gives the place of its last unit. */
function putComposed(text: string, at: number, put: (code: number, at: number) => void): number {
  let end = at + ((text.codePointAt(at) ?? 0) > 0xffff ? 2 : 1);
  while (end < text.length && isMark(text, end)) end += (text.codePointAt(end) ?? 0) > 0xffff ? 2 : 1;
  const own = text.slice(at, end);
  const small = (LIGATURES[own] ?? own.normalize("NFC")).toLowerCase().normalize("NFC");
  for (let index = 0; index < small.length; index++) put(small.charCodeAt(index), at);
  return end - 1;
}

/** What is known of a unit by itself, found when it is first met: whether it may be a mark, or is a letter that stands for itself. */
const [UNKNOWN, PLAIN, MARK, ODD] = [0, 1, 2, 3];
const known = new Uint8Array(0x1_0000);
const smalls = new Uint16Array(0x1_0000);

function kindOfUnit(code: number): number {
  if (known[code] !== UNKNOWN) return known[code]!;
  const char = String.fromCharCode(code);
  const small = char.toLowerCase();
  smalls[code] = small.charCodeAt(0);
  return (known[code] = /\p{M}|[\ud800-\udfff]/u.test(char)
    ? MARK!
    : small.length === 1 && char.normalize("NFC") === char && small.normalize("NFC") === small && LIGATURES[char] === undefined
      ? PLAIN!
      : ODD!);
}

/** Half of a pair is a mark only where the pair is one. */
function isMark(text: string, at: number): boolean {
  const code = text.charCodeAt(at);
  if (!(code >= 0x300) || kindOfUnit(code) !== MARK) return false;
  return code < 0xd800 || code > 0xdfff || /^\p{M}/u.test(text.slice(at, at + 2));
}

function spacesFrom(text: string, from: number): number {
  let at = from;
  while (at < text.length && (CLASSES.get(text.charCodeAt(at)) === SPACE || text.charCodeAt(at) === 32)) at++;
  return at;
}
CLASSES.set(32, SPACE!);

const isLetter = (unit: number | undefined): boolean => unit !== undefined && /\p{L}/u.test(String.fromCharCode(unit));

/** Whether white space only stands where a line ended within a word: letter, hyphen, line break, letter. */
function isBroken(units: Uint16Array, length: number, text: string, from: number, to: number): boolean {
  if (length < 2 || units[length - 1] !== HYPHEN_CODE || !isLetter(units[length - 2])) return false;
  let breaks = false;
  for (let at = from; at < to; at++) breaks ||= isLineBreak(text.charCodeAt(at));
  return breaks && isLetter(text.charCodeAt(to));
}

const PIECE = 8_192;

function textOf(units: Uint16Array): string {
  let text = "";
  for (let from = 0; from < units.length; from += PIECE) text += String.fromCharCode(...units.subarray(from, from + PIECE));
  return text;
}

/** The same without hyphens that stand between letters: a word that a line broke is one word. */
export function withoutHyphens({ text, places }: Folded): Folded {
  const kept: number[] = [];
  for (let at = 0; at < text.length; at++)
    if (text.charCodeAt(at) !== HYPHEN_CODE || !(isLetter(text.charCodeAt(at - 1)) && isLetter(text.charCodeAt(at + 1)))) kept.push(at);
  return {
    text: kept.map((at) => text[at]).join(""),
    places: Uint32Array.from([...kept.map((at) => places[at]!), places[text.length]!]),
    hasBroken: false,
  };
}
