import { countChars, groupDigits, remark, sentences, type Remark } from "../ground/index.js";

/** A text made shorter, and what was done. */
export interface Shortened {
  readonly text: string;
  readonly note: Remark;
}

/** Share of the room that the head gets when head and tail are kept. */
const HEAD_SHARE = 0.7;

/** Keeps the beginning of a text, up to the end of the last whole sentence that fits; within one, up to a word. */
export function cutAtSentence(text: string, maxChars: number): Shortened {
  const note = (left: number): string => `\n[… the last ${groupDigits(left)} characters are left out]`;
  const room = maxChars - note(text.length).length;
  const kept = headOf(text, room);
  return { text: `${kept}${note(text.length - kept.length)}`, note: remark("cutAtSentence", { kept: kept.length, of: countChars(text) }) };
}

/** Keeps the beginning and the end of a text and leaves out its middle. */
export function keepEnds(text: string, maxChars: number): Shortened {
  const note = (left: number): string => `\n[… ${groupDigits(left)} characters are left out here …]\n`;
  const room = maxChars - note(text.length).length;
  const head = headOf(text, Math.floor(room * HEAD_SHARE));
  const tail = tailOf(text, room - head.length);
  return {
    text: `${head}${note(text.length - head.length - tail.length)}${tail}`,
    note: remark("endsKept", { kept: head.length + tail.length, of: countChars(text) }),
  };
}

/** Cuts a text into pieces of at most `maxChars`, at blank lines, else at ends of sentences, else between words. */
export function piecesOf(text: string, maxChars: number): string[] {
  const units = text.split(/(?<=\n)\s*\n/).flatMap((block) => (block.length <= maxChars ? [block] : sentences(block)));
  const pieces: string[] = [];
  let piece = "";
  for (const unit of units.flatMap((one) => hardPieces(one, maxChars))) {
    if (piece !== "" && piece.length + unit.length + 1 > maxChars) {
      pieces.push(piece);
      piece = unit;
    } else piece = piece === "" ? unit : `${piece}\n${unit}`;
  }
  return piece === "" ? pieces : [...pieces, piece];
}

function headOf(text: string, room: number): string {
  const head = safeSlice(text, 0, Math.max(0, room));
  const whole = sentences(head);
  // The last sentence of the cut text is most likely torn.
  const end = whole.length > 1 ? head.lastIndexOf(whole.at(-1)!) : -1;
  const atSentence = end > room / 2 ? head.slice(0, end) : head.replace(/\s+\S*$/u, "");
  return (atSentence.trim() === "" ? head : atSentence).trimEnd();
}

function tailOf(text: string, room: number): string {
  const tail = safeSlice(text, Math.max(0, text.length - Math.max(0, room)), text.length);
  return (/\s/.test(tail) ? tail.replace(/^\S*\s+/u, "") : tail).trimStart();
}

function hardPieces(text: string, maxChars: number): string[] {
  const pieces: string[] = [];
  let rest = text.trim();
  while (rest.length > maxChars) {
    const head = safeSlice(rest, 0, maxChars);
    const at = head.search(/\s\S*$/);
    const cut = at > maxChars / 2 ? at : head.length;
    pieces.push(rest.slice(0, cut));
    rest = rest.slice(cut).trimStart();
  }
  return rest === "" ? pieces : [...pieces, rest];
}

/** A slice that never tears a surrogate pair. */
function safeSlice(text: string, from: number, to: number): string {
  const isLow = (index: number): boolean => (text.charCodeAt(index) & 0xfc00) === 0xdc00;
  return text.slice(from > 0 && isLow(from) ? from + 1 : from, to < text.length && isLow(to) ? to - 1 : to);
}
