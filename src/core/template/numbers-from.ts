import type { Json } from "../ground/index.js";

const WORDS: Readonly<Record<string, number>> = {
  two: 2,
  three: 3,
  four: 4,
  five: 5,
  six: 6,
  seven: 7,
  eight: 8,
  nine: 9,
  ten: 10,
  eleven: 11,
  twelve: 12,
};
const NUMBER = /(?<![\p{L}\p{N}_])[-\u2212]?\d[\d,.]*(?<=\d)(?:\s?%|\s?(?:percent|per cent)\b)?/giu;
const WORD = new RegExp(`\\b(?:${Object.keys(WORDS).join("|")})\\b`, "gi");
/** A run of characters with a digit in it, without the signs around it: `R-012`, `2026-08-03`, `14:30`. */
const NAMED = /[\p{L}\p{N}][^\s"'()[\]{}<>,;]*/gu;

/**
 * The numbers in a text that do not stand in the data, as they are written: neither the number itself, nor rounded to the
 * digits that the text gives, nor as per cent of a share. English words from two to twelve count as numbers; what has letters
 * or signs in it (`R-012`, `14:30`) must stand there as it is.
 */
export function strayNumbers(text: string, data: readonly Json[]): string[] {
  const known = data.map(asText).join("\n");
  const numbers = [
    ...[...known.matchAll(NUMBER)].flatMap(([written]) => readings(written).map(({ value }) => value)),
    ...[...known.matchAll(WORD)].map(([word]) => WORDS[word.toLowerCase()]!),
  ];
  const names = new Set(known.match(NAMED)?.map(bare));
  const stray: string[] = [];
  let done = 0;
  for (const match of text.matchAll(NAMED)) {
    const name = bare(match[0]);
    if (match.index < done || !/\d/.test(name) || names.has(name)) continue;
    // `14:30` and `R-012` are names, `30%` and `1.5` are numbers.
    const isNumber = [...name.matchAll(NUMBER)].some(([written]) => written === name);
    const written = isNumber ? numberAt(text, match.index) : name;
    done = match.index + written.length;
    if (!isNumber || !readings(written).some((reading) => stands(reading, numbers))) stray.push(written);
  }
  for (const [word] of text.matchAll(WORD))
    if (!stands({ value: WORDS[word.toLowerCase()]!, decimals: 0, isPercent: false }, numbers)) stray.push(word);
  return [...new Set(stray)];
}

interface Reading {
  readonly value: number;
  /** Digits after the point, to which the text may have rounded. */
  readonly decimals: number;
  readonly isPercent: boolean;
}

function stands({ value, decimals, isPercent }: Reading, numbers: readonly number[]): boolean {
  const isIt = (number: number): boolean => Math.abs(Number(number.toFixed(decimals)) - value) < 1e-9;
  return numbers.some((number) => isIt(number) || (isPercent && isIt(number * 100)));
}

/** A comma may part thousands or decimals. */
function readings(written: string): Reading[] {
  const isPercent = /%|per ?cent/i.test(written);
  const bareNumber = written.replace(/\s?(?:%|percent|per cent)$/i, "").replace("\u2212", "-");
  const ways = new Set([
    bareNumber.replaceAll(",", ""),
    /^-?\d+,\d+$/.test(bareNumber) ? bareNumber.replace(",", ".") : bareNumber.replaceAll(",", ""),
  ]);
  return [...ways].flatMap((text) =>
    Number.isFinite(Number(text)) ? [{ value: Number(text), decimals: text.split(".")[1]?.length ?? 0, isPercent }] : [],
  );
}

/** The number that begins at a place, with the per cent sign behind it. */
function numberAt(text: string, at: number): string {
  const from = at > 0 && /[-\u2212]/.test(text[at - 1]!) && (at === 1 || /\s/.test(text[at - 2]!)) ? at - 1 : at;
  return new RegExp(NUMBER.source, "iu").exec(text.slice(from))?.[0] ?? "";
}

const bare = (name: string): string => name.replace(/[.:!?%\u2026]+$/u, "");

function asText(value: Json): string {
  if (value === null) return "";
  if (Array.isArray(value)) return value.map(asText).join("\n");
  return typeof value === "object" ? Object.values(value).map(asText).join("\n") : String(value);
}
