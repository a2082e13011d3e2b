import type { RE2JS } from "re2js";
import { YoroshiError } from "./errors.js";

/** A regular expression, ready to be held against many texts. */
export interface Pattern {
  /** Whether it occurs in a text; in time that grows with the text alone. */
  test(text: string): boolean;
}

/** Loaded when the first pattern is met: most projects have none, and it weighs as much as the rest of a small page. */
let engine: typeof RE2JS | undefined;
let isNeeded = false;

/** What regular expressions may have elsewhere and not here, since matching it may take for ever. */
const BEYOND: readonly (readonly [RegExp, string])[] = [
  [/^(?:[^\\]|\\.)*?\(\?=/s, "a look-ahead `(?=…)`"],
  [/^(?:[^\\]|\\.)*?\(\?!/s, "a look-ahead `(?!…)`"],
  [/^(?:[^\\]|\\.)*?\(\?<[=!]/s, "a look-behind `(?<=…)`"],
  [/^(?:[^\\]|\\[^1-9k])*?\\(?:[1-9]|k<)/s, "a back-reference such as `\\1`"],
  [/\{(?:\d*,)?0*[1-9]\d{3,}\}/, "a repetition of a thousand times and more"],
];

/**
 * What keeps a text from being used as a pattern, in words; `undefined` where nothing does. The syntax is that of RE2, which
 * matches in linear time (Cox 2007): that of JavaScript without look-around and back-references, and with flags such as `(?i)`.
 */
export function patternProblem(source: string): string | undefined {
  isNeeded = true;
  const beyond = BEYOND.find(([found]) => found.test(source));
  if (beyond) return `it has ${beyond[1]}, which could take for ever on some texts`;
  if (engine) return compiled(source) instanceof Error ? "it is not a regular expression" : undefined;
  try {
    RegExp(source.replace(/\(\?[imsU]+\)/g, ""), "u");
    return undefined;
  } catch {
    return "it is not a regular expression";
  }
}

/** Resolves when patterns can be tested; to be awaited before the first test by whoever may meet one. */
export async function patternsReady(): Promise<void> {
  if (isNeeded) engine ??= (await import("re2js")).RE2JS;
}

const known = new Map<string, Pattern | Error>();
const MOST_KNOWN = 500;

/** @throws YoroshiError `misuse` for what is no pattern, or where `patternsReady` was not awaited. */
export function pattern(source: string): Pattern {
  return {
    test: (text) => {
      if (!engine)
        throw new YoroshiError("misuse", { problem: "A pattern is tested before patterns are loaded. Await patternsReady() first." });
      const found = compiled(source);
      if (found instanceof Error) throw new YoroshiError("misuse", { problem: `\`${source}\` is not a regular expression.` });
      return found.test(text);
    },
  };
}

function compiled(source: string): Pattern | Error {
  let found = known.get(source);
  if (!found) {
    try {
      const own = engine!.compile(engine!.translateRegExp(source.replace(/\\p\{(?:Script|sc)=/g, "\\p{")));
      found = { test: (text) => own.matcher(text).find() };
    } catch (error) {
      found = error as Error;
    }
    if (known.size >= MOST_KNOWN) known.clear();
    known.set(source, found);
  }
  return found;
}
