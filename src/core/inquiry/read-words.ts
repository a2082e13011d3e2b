import { template, untyped, type Template } from "../template/index.js";

const PIECE_CHARS = 6_000;

/** Rows' words in pieces that fit one request each. */
export function wordPieces(rows: Iterable<string>, mostChars = PIECE_CHARS): string[] {
  const pieces: string[] = [];
  let piece = "";
  for (const row of rows) {
    const own = row.slice(0, mostChars);
    if (piece !== "" && piece.length + own.length + 1 > mostChars) {
      pieces.push(piece);
      piece = "";
    }
    piece += piece === "" ? own : `\n${own}`;
  }
  if (piece !== "") pieces.push(piece);
  return pieces;
}

/** The template that answers a question from the words of some rows; of several pieces it is asked once more about what it found. */
export const wordsTemplate = (): Template =>
  untyped(
    template({
      name: "inquiry-words",
      inputs: { question: { kind: "text", maxChars: 2000 }, rows: { kind: "text", maxChars: 2 * PIECE_CHARS } },
      role: "You answer questions from what rows of a table say, and from nothing else.",
      task: [
        "Here is a question.",
        "{{ question }}",
        "These are rows that it is about, or what was found in them, one a line.",
        "{{ rows }}",
        "Answer it in a few sentences from these rows. Give no number that does not stand in them.",
      ].join("\n"),
      answer: { answer: { kind: "text", about: "The answer", maxChars: 900, maxSentences: 6 } },
      model: { temperature: 0, maxTokens: 400 },
    }),
  );

/** Numbers of an answer that stand in none of the texts that it was made of. */
export function unfoundedNumbers(answer: string, sources: Iterable<string>, counts: readonly number[]): string[] {
  const numbersIn = (text: string): string[] => [...text.matchAll(/\d+(?:[.,]\d+)*/g)].map(([number]) => number.replace(/[.,]$/, ""));
  const open = new Set(numbersIn(answer).filter((number) => !counts.includes(Number(number))));
  for (const source of sources) {
    if (open.size === 0) break;
    for (const number of numbersIn(source)) open.delete(number);
  }
  return [...open];
}
