import { countChars, remark, type Json, type Remark } from "../ground/index.js";
import type { AskedModel } from "../model/index.js";
import { cutAtSentence, fingerprinter, piecesOf, prepare, template, untypedPrepared, type Prepared } from "../template/index.js";
import type { Conversation } from "./conversation.js";
import { askOnce } from "./question.js";
import type { Recall } from "./recall.js";
import type { LongInput } from "./too-long.js";

/** Longer texts are condensed again; one that is still too long after so many rounds is cut. */
const MOST_ROUNDS = 4;
/** A piece is never condensed to less than this, or nothing of use would be left. */
const LEAST_CHARS = 200;

/**
 * Brings text inputs that are above their limit below it: each piece is condensed by a request of its own, for the
 * sake of the template's task; then the pieces together stand for the input.
 *
 * @returns the inputs, and what was done to which.
 */
export async function condense(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  long: readonly LongInput[],
  talk: Conversation,
  model: AskedModel,
  recall: Recall | undefined,
): Promise<{ readonly inputs: Readonly<Record<string, Json>>; readonly notes: readonly Remark[] }> {
  const notes: Remark[] = [];
  const shorter: Record<string, Json> = { ...inputs };
  for (const { name, text, maxChars } of long) {
    const { text: condensed, pieces } = await condenseText(text, maxChars, (piece, room) =>
      condensePiece(prepared, piece, room, talk, model, recall),
    );
    shorter[name] = condensed;
    notes.push(remark("condensed", { input: name, from: countChars(text), to: countChars(condensed), pieces }));
  }
  return { inputs: shorter, notes };
}

async function condenseText(
  whole: string,
  maxChars: number,
  shorten: (piece: string, room: number) => Promise<string>,
): Promise<{ text: string; pieces: number }> {
  let text = whole;
  let done = 0;
  for (let round = 0; round < MOST_ROUNDS && countChars(text) > maxChars; round++) {
    const pieces = piecesOf(text, maxChars);
    const room = Math.max(LEAST_CHARS, Math.floor(maxChars / pieces.length) - 1);
    const shorter: string[] = [];
    for (const piece of pieces) shorter.push(await shorten(piece, room));
    text = shorter.join("\n");
    done += pieces.length;
  }
  return { text: countChars(text) > maxChars ? cutAtSentence(text, maxChars).text : text, pieces: done };
}

async function condensePiece(
  prepared: Prepared,
  piece: string,
  room: number,
  talk: Conversation,
  model: AskedModel,
  recall: Recall | undefined,
): Promise<string> {
  if (countChars(piece) <= room) return piece;
  const question = condenser(prepared.template.title ?? prepared.template.name, room);
  const fingerprint = fingerprinter(question, model)({ piece });
  const known = await recall?.known(fingerprint);
  if (known?.state === "answered") return known.parts["text"] as string;
  const outcome = await askOnce(question, { piece }, talk, model, "condense");
  // A piece that could not be condensed is cut instead: the question can still be asked.
  if (outcome.state !== "answered") return cutAtSentence(piece, room).text;
  // Its cost is booked with the question that it was asked for.
  await recall?.keep(fingerprint, question.template.name, {
    state: "answered",
    parts: outcome.parts,
    raw: outcome.reply.text,
    notes: outcome.notes,
    asks: 1,
    usage: { tokensIn: 0, tokensOut: 0 },
    spent: 0,
    tookMs: 0,
  });
  return outcome.parts["text"] as string;
}

function condenser(purpose: string, room: number): Prepared {
  return untypedPrepared(
    prepare(
      template({
        name: "condense",
        inputs: { piece: { kind: "text" } },
        role: "You shorten a piece of a longer text.",
        task: `The shortened text is used for this purpose: ${purpose.replace(/[{}]/g, "")}.\nKeep all that bears on the purpose, in the text's own words and order. Leave out the rest. Add nothing.\n{{ piece }}`,
        answer: { text: { kind: "text", about: "The shortened text", maxChars: room } },
        model: { temperature: 0, maxTokens: Math.max(100, room) },
      }),
    ),
  );
}
