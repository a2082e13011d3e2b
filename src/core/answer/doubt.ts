import { canonicalJson, remark, type Json, type Remark } from "../ground/index.js";
import type { AskedModel, ModelReply } from "../model/index.js";
import { DEFAULT_DOUBT, type Doubt, type Prepared } from "../template/index.js";
import type { Confidence } from "./answer.js";
import type { Conversation } from "./conversation.js";
import { askOnce, settingsFor, type Outcome } from "./question.js";

type Answered = Extract<Outcome, { state: "answered" }>;

/** The answer that counts, and how sure it is. */
export interface Sure {
  readonly outcome: Answered;
  readonly confidence?: Confidence | undefined;
  readonly note?: Remark | undefined;
}

/** Finds how sure an answer is; with agreement, the answer that most asks gave is the one that counts. */
export async function withConfidence(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  talk: Conversation,
  model: AskedModel,
  first: Answered,
  firstSeed = 0,
): Promise<Sure> {
  const { doubt } = prepared.template;
  if (!doubt) return { outcome: first };
  if (doubt.by === "stated")
    return { outcome: first, ...(first.stated === undefined ? {} : { confidence: { value: first.stated, by: "stated" as const } }) };
  const counted = countedParts(prepared, doubt);
  if (doubt.by === "logProbabilities") {
    const confidence = byProbabilities(first.reply, counted);
    return confidence ? { outcome: first, confidence } : { outcome: first, note: remark("noLogProbabilities") };
  }
  const outcomes: Outcome[] = [first];
  for (let ask = 1; ask < (doubt.asks ?? DEFAULT_DOUBT.asks); ask++)
    outcomes.push(await askOnce(prepared, inputs, talk, model, "asked again", settingsFor(doubt, prepared, firstSeed + ask)));
  return byAgreement(outcomes, counted);
}

function countedParts(prepared: Prepared, doubt: Doubt): readonly string[] {
  if (doubt.parts) return doubt.parts;
  const verdicts = prepared.parts.filter((part) => part.kind.settles !== undefined);
  return (verdicts.length > 0 ? verdicts : prepared.parts).map((part) => part.name);
}

/** The share of all asks that gave the most frequent answer (self-consistency, Wang et al. 2022); at a tie the earliest one counts. */
function byAgreement(outcomes: readonly Outcome[], counted: readonly string[]): { outcome: Answered; confidence: Confidence } {
  const answered = outcomes.filter((outcome): outcome is Answered => outcome.state === "answered");
  const share = (of: (outcome: Answered) => string): { best: string; share: number } => {
    const counts = new Map<string, number>();
    for (const outcome of answered) counts.set(of(outcome), (counts.get(of(outcome)) ?? 0) + 1);
    const [best, most] = [...counts].reduce((top, next) => (next[1] > top[1] ? next : top));
    return { best, share: most / outcomes.length };
  };
  const verdictOf = (outcome: Answered): string => canonicalJson(counted.map((name) => outcome.parts[name]));
  const whole = share(verdictOf);
  return {
    outcome: answered.find((outcome) => verdictOf(outcome) === whole.best)!,
    confidence: {
      value: whole.share,
      by: "agreement",
      parts: Object.fromEntries(counted.map((name) => [name, share((outcome) => canonicalJson(outcome.parts[name]!)).share])),
    },
  };
}

/** The probability of the values that count: the product of the probabilities of the tokens that spell them. */
function byProbabilities({ text, tokens }: ModelReply, counted: readonly string[]): Confidence | undefined {
  if (!tokens || tokens.length === 0) return undefined;
  const parts: Record<string, number> = {};
  for (const name of counted) {
    const span = valueSpan(text, name);
    if (span) parts[name] = Math.min(1, Math.exp(logProbabilityOf(tokens, span)));
  }
  const found = Object.values(parts);
  return found.length === 0 ? undefined : { value: found.reduce((product, part) => product * part, 1), by: "logProbabilities", parts };
}

interface Span {
  readonly from: number;
  readonly to: number;
}

/** Where the value of a member stands in the reply's text. */
function valueSpan(text: string, name: string): Span | undefined {
  const key = new RegExp(`"${name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}"\\s*:\\s*`, "i").exec(text);
  if (!key) return undefined;
  // A part that demands evidence is an object, its value behind the words that carry it.
  const inside = /^\{[^{}]*?"value"\s*:\s*/i.exec(text.slice(key.index + key[0].length));
  const from = key.index + key[0].length + (inside?.[0].length ?? 0);
  const value = /^(?:"(?:[^"\\]|\\.)*"|\[(?:[^\]"]|"(?:[^"\\]|\\.)*")*\]|[^,}\]\s]+)/.exec(text.slice(from));
  return value ? { from, to: from + value[0].length } : undefined;
}

function logProbabilityOf(tokens: NonNullable<ModelReply["tokens"]>, span: Span): number {
  let at = 0;
  let total = 0;
  for (const token of tokens) {
    const end = at + token.text.length;
    if (at < span.to && end > span.from) total += token.logProbability;
    at = end;
  }
  return total;
}
