import type * as z from "zod";
import {
  plainJson,
  sentenceOf,
  around,
  placeWords,
  type Answer,
  type CellRecord,
  type DecisionRecord,
  type Around,
  type Evidence,
  type Json,
  type Message,
  type MessagePart,
  type Remark,
  type ToldNote,
} from "../core/index.js";
import { plain, type answerShape, type decisionShape, type Plain } from "./schemas.js";

/** What an answer or a cell says of itself, in words and by code. */
interface Told {
  readonly reason?: string;
  readonly reasonCode?: string;
}

export const reasonTold = (reason: Remark | undefined): Told => (reason ? { reason: sentenceOf(reason), reasonCode: reason.code } : {});

type ToldAnswer = Plain<Omit<Answer, "reason" | "notes" | "spent" | "evidence">> &
  Told & { notes: string[]; noteCodes: string[]; spent: number; evidence?: ToldEvidence[] };

/** An answer as reports tell it: with sentences, its amount in units of the currency, and its evidence in the texts of the inputs. */
export function toldAnswer({ reason, notes, spent, evidence, ...answer }: Answer, inputs: Readonly<Record<string, Json>> = {}): ToldAnswer {
  return {
    ...plain(answer),
    ...(evidence ? { evidence: Object.entries(evidence).map(([part, one]) => toldEvidence(part, one, inputs)) } : {}),
    ...reasonTold(reason),
    notes: notes.map(sentenceOf),
    noteCodes: notes.map(({ code }) => code),
    spent: spent / 1e6,
  };
}

type ToldEvidence = NonNullable<z.output<z.ZodObject<typeof answerShape>>["evidence"]>[number];

function toldEvidence(part: string, evidence: Evidence, inputs: Readonly<Record<string, Json>>): ToldEvidence {
  if (evidence.found === "never") return { part, found: evidence.found, quote: evidence.said };
  return toldPassage(part, evidence, around(evidence, inputs));
}

/** Words that were found, with what stands around them where the row still says so. */
export function toldPassage(part: string, evidence: Extract<Evidence, { quote: string }>, about: Partial<Around> = {}): ToldEvidence {
  const { input, ...at } = evidence.place;
  const source = at.address ?? input;
  return { part, found: evidence.found, quote: evidence.quote, source, place: placeWords(evidence.place), at, ...about };
}

/** A row's cells as reports tell them. */
export function toldCells({
  reason,
  notes,
  ...record
}: CellRecord): Plain<Omit<CellRecord, "reason" | "notes">> & Told & { notes?: string[] } {
  return { ...plain(record), ...reasonTold(reason), ...(notes ? { notes: notes.map(sentenceOf) } : {}) };
}

/** A decision as reports tell it. */
export function toldDecision({
  act,
  step,
  key,
  column,
  how,
  value,
  given,
  reason,
  version,
  model,
  by,
  at,
  tookMs,
  blind,
  undone,
}: DecisionRecord): z.input<typeof decisionShape> {
  const told = { act, step, key, column, how, value, given, reason, version, model, by, at: new Date(at).toISOString(), tookMs, blind };
  return { ...(plainJson(told) as object), undone: undone !== undefined } as z.input<typeof decisionShape>;
}

/** A prompt, in words. */
export const toldPrompt = (messages: readonly Message[]): { role: Message["role"]; content: string }[] =>
  messages.map(({ role, parts }) => ({ role, content: parts.map(partTold).join("\n") }));

const partTold = (part: MessagePart): string =>
  part.kind === "picture"
    ? `[a picture: ${part.type}, ${part.width} x ${part.height} points, ${Math.ceil(part.bytes / 1000)} kB]`
    : part.text;

/** What is told of rows. */
export const toldNotes = (notes: readonly ToldNote[]): { note: string; code: string; rows: number; keys: string[] }[] =>
  notes.map(({ remark, rows, keys }) => ({ note: sentenceOf(remark), code: remark.code, rows, keys: [...keys] }));
