import { sentences, type Json } from "../ground/index.js";
import type { Verdict } from "./choose.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { clip, sentencesOf } from "./sum-up.js";
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

const BROKEN_CHARS = 60;
const HEAD_WEIGHT = 0.8;

/** Lines of tables and lists are pieces of their own; all else is sentences. */
function piecesOf(text: string): string[] {
  const blocks = text.split("\n").reduce<string[]>((all, line) => {
    const isOwn = /^\s*(\||[-*] |#)/.test(line);
    // A line that was broken is a long one.
    if (
      isOwn ||
      line.trim() === "" ||
      all.length === 0 ||
      all.at(-1)!.split("\n").at(-1)!.length < BROKEN_CHARS ||
      /^\s*(\||[-*] |#)/.test(all.at(-1)!)
    )
      all.push(line);
    else all[all.length - 1] += `\n${line}`;
    return all;
  }, []);
  return blocks
    .flatMap((block) => (/^\s*(\||[-*] )/.test(block) ? [block.trim()] : sentencesOf(block)))
    .filter((piece) => /[\p{L}\p{N}]/u.test(piece) && !/^\s*#/.test(piece));
}

/** A value with the words that carry it: the piece that holds it, or has most of what spoke for it. Words are taken from that piece. */
export function withWords(
  value: Json,
  asked: QuotedPart,
  request: ReadRequest,
  leading: Verdict | undefined,
): { quote: string | null; value: Json } {
  const { part, from } = asked;
  const named = from.flatMap((name) => sectionsOf(request.marked[name] ?? ""));
  // Of what was found, that whose head speaks of the row comes first.
  const row = stems(
    Object.entries(request.named)
      .flatMap(([name, text]) => (from.includes(name) ? [] : [text]))
      .join(" "),
  );
  const because = leading?.because ?? stems(`${part.name.replace(/([A-Z])/g, " $1")} ${part.about}`);
  const own = stems(typeof value === "string" && part.kind !== "text" ? value : Array.isArray(value) ? value.join(" ") : "");
  const literal = typeof value === "number" ? String(value) : "";
  const weight = (piece: string): number => {
    const found = [...stems(piece)];
    const holds = literal !== "" && piece.includes(literal) ? 10 : 0;
    const wished = WISHED.some(([about, form]) => about.test(part.about) && form.test(piece)) ? 1 : 0;
    return (
      holds +
      wished +
      found.filter((stem) => own.has(stem)).length * 2 +
      found.filter((stem) => because.has(stem)).length +
      alarmOf(piece) / 10
    );
  };
  const sections = named.length > 0 ? named : [{ head: "", text: request.data }];
  const pieces = sections.flatMap(({ head, text }) => {
    const near = [...stems(head)].filter((stem) => row.has(stem)).length * HEAD_WEIGHT;
    return piecesOf(text).map((piece) => ({ piece, near }));
  });
  const best = pieces.reduce<{ piece: string; weight: number } | undefined>((top, { piece, near }) => {
    const now = weight(piece) + near;
    return !top || now > top.weight ? { piece, weight: now } : top;
  }, undefined);
  if (!best) return { quote: null, value };
  if (part.kind !== "text") return { quote: shortened(best.piece), value };
  const form = WISHED.find(([about, own]) => about.test(part.about) && own.test(best.piece))?.[1];
  const words = form ? form.exec(best.piece)![0] : withoutLabel(best.piece);
  return { quote: form ? words : shortened(best.piece), value: clip(words, part) };
}

/** Pages, and what was found, each with its mark as a head. */
function sectionsOf(text: string): { readonly head: string; readonly text: string }[] {
  const pieces = text.split(/^\[([^\]\n]{1,200})\]$/m);
  return pieces.flatMap((piece, index) => (index % 2 === 1 || piece.trim() === "" ? [] : [{ head: pieces[index - 1] ?? "", text: piece }]));
}

/** What of a piece is wanted, where the words of a part tell its form: a number to call, times of day. */
const WISHED: readonly (readonly [RegExp, RegExp])[] = [
  [/\b(phone|telephone|call|emergency number)\b/i, /\+?\d[\d ()/-]{6,}\d/],
  [
    /\b(hours|open|opening)\b/i,
    /\b(?:every day|daily|(?:Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day)\b.*?\d{1,2}:\d{2} to \d{1,2}:\d{2}(?:, \w+ \d{1,2}:\d{2} to \d{1,2}:\d{2})*/,
  ],
];

/** The last cell of a table's row; what stands behind a bullet. */
const withoutLabel = (piece: string): string =>
  piece.startsWith("|")
    ? (piece
        .split("|")
        .map((cell) => cell.trim())
        .filter(Boolean)
        .at(-1) ?? piece)
    : piece.replace(/^[-*] /, "");

const MOST_WORDS = 30;

/** One passage without gaps: the beginning of a long one. */
function shortened(piece: string): string {
  const own = piece.startsWith("|") ? piece : (sentences(piece)[0] ?? piece);
  return own.trim().split(" ").slice(0, MOST_WORDS).join(" ");
}
