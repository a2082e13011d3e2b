import type * as z from "zod";
import {
  messageText,
  plainJson,
  sentenceOf,
  type Answer,
  type CellRecord,
  type DecisionRecord,
  type Message,
  type Remark,
  type ToldNote,
} from "../core/index.js";
import { plain, type decisionShape, type Plain } from "./schemas.js";

/** What an answer or a cell says of itself, in words and by code. */
interface Told {
  readonly reason?: string;
  readonly reasonCode?: string;
}

export const reasonTold = (reason: Remark | undefined): Told => (reason ? { reason: sentenceOf(reason), reasonCode: reason.code } : {});

type ToldAnswer = Plain<Omit<Answer, "reason" | "notes" | "spent">> & Told & { notes: string[]; noteCodes: string[]; spent: number };

/** An answer as reports tell it: with sentences, and its amount in units of the currency. */
export function toldAnswer({ reason, notes, spent, ...answer }: Answer): ToldAnswer {
  return {
    ...plain(answer),
    ...reasonTold(reason),
    notes: notes.map(sentenceOf),
    noteCodes: notes.map(({ code }) => code),
    spent: spent / 1e6,
  };
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
  messages.map((message) => ({ role: message.role, content: messageText(message) }));

/** What is told of rows. */
export const toldNotes = (notes: readonly ToldNote[]): { note: string; code: string; rows: number; keys: string[] }[] =>
  notes.map(({ remark, rows, keys }) => ({ note: sentenceOf(remark), code: remark.code, rows, keys: [...keys] }));
