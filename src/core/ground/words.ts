const ASCII = /^[\0-\x7f]*$/;

/** Length of a text in UTF-8 bytes, counted without encoding it. A lone surrogate counts as U+FFFD. */
export function utf8Length(text: string): number {
  if (ASCII.test(text)) return text.length;
  let bytes = text.length;
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    if (unit < 0x80) continue;
    if (unit < 0x800) bytes += 1;
    else if (unit >= 0xd800 && unit <= 0xdbff && isLowSurrogate(text.charCodeAt(i + 1))) {
      bytes += 2;
      i++;
    } else bytes += 2;
  }
  return bytes;
}

function isLowSurrogate(unit: number): boolean {
  return unit >= 0xdc00 && unit <= 0xdfff;
}

/** Characters as a person counts them: code points, so that an emoji is one. */
export function countChars(text: string): number {
  let count = 0;
  for (let i = 0; i < text.length; i++) {
    count++;
    const unit = text.charCodeAt(i);
    if (unit >= 0xd800 && unit <= 0xdbff && isLowSurrogate(text.charCodeAt(i + 1))) i++;
  }
  return count;
}

// Made when it is first needed: it takes as long to load as a small command to run.
let sentenceSegmenter: Intl.Segmenter | undefined;

/** The sentences of a text, trimmed, by the Unicode rules for text segmentation (UAX #29). */
export function sentences(text: string): string[] {
  const found: string[] = [];
  sentenceSegmenter ??= new Intl.Segmenter("en", { granularity: "sentence" });
  for (const { segment } of sentenceSegmenter.segment(text)) {
    const trimmed = segment.trim();
    if (trimmed !== "") found.push(trimmed);
  }
  return found;
}

/** Finds a word or phrase that stands by itself, whatever its case: `asap` is not in `asaparagus`, `!` is in `late!`. */
export function wordPattern(word: string, flags = "iu"): RegExp {
  const bare = word.trim();
  const escaped = bare.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
  const before = /^[\p{L}\p{N}]/u.test(bare) ? "(?<![\\p{L}\\p{N}])" : "";
  const after = /[\p{L}\p{N}]$/u.test(bare) ? "(?![\\p{L}\\p{N}])" : "";
  return new RegExp(`${before}${escaped}${after}`, flags);
}

/** `["a", "b", "c"]` -> `a, b and c`. */
export function joinWords(words: readonly string[], last = "and"): string {
  if (words.length < 2) return words[0] ?? "";
  return `${words.slice(0, -1).join(", ")} ${last} ${words[words.length - 1]}`;
}

/** `plural(1, "row")` -> `1 row`, `plural(1200, "row")` -> `1,200 rows`. */
export function plural(count: number, noun: string, nouns = `${noun}s`): string {
  return `${groupDigits(count)} ${count === 1 ? noun : nouns}`;
}

export function groupDigits(count: number): string {
  return String(count).replace(/\B(?=(\d{3})+(?!\d))/g, ",");
}

/** Replaces lone surrogates and NUL, which no UTF-8 file or JSON host takes, by U+FFFD. */
export function wellFormed(text: string): string {
  if (!/[\0\ud800-\udfff]/.test(text)) return text;
  return text.replaceAll("\0", "\ufffd").replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, "\ufffd");
}
