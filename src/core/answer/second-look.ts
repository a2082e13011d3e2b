import { canonicalJson, remark, textMessage, type Json, type Remark } from "../ground/index.js";
import type { AskedModel } from "../model/index.js";
import type { Prepared, SecondLook } from "../template/index.js";
import type { Conversation } from "./conversation.js";
import { readChecked, requestOf, type Outcome } from "./question.js";

type Answered = Extract<Outcome, { state: "answered" }>;

/** Shows the model its answer and the analyst's list. What comes back counts when it can be read; else the answer stays. */
export async function lookAgain(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  talk: Conversation,
  model: AskedModel,
  { checks }: SecondLook,
  first: Answered,
): Promise<Pick<Answered, "parts" | "evidence"> & { readonly note: Remark }> {
  const request = requestOf(prepared, [
    ...first.messages,
    textMessage("assistant", first.reply.text),
    textMessage("user", lookRequest(checks)),
  ]);
  const reply = await talk.send("second look", model, request);
  const reading = await readChecked(prepared, inputs, reply.text);
  if (!reading.ok || reading.unfounded.length > unfoundedOf(first))
    return { parts: first.parts, evidence: first.evidence, note: remark("lookedUnread") };
  const changed = prepared.parts
    .filter(({ name }) => canonicalJson(reading.parts[name]) !== canonicalJson(first.parts[name]))
    .map(({ name }) => name);
  return {
    parts: reading.parts,
    evidence: reading.evidence,
    note: changed.length > 0 ? remark("lookedChanged", { parts: changed }) : remark("lookedAgreed"),
  };
}

const unfoundedOf = ({ evidence }: Answered): number => Object.values(evidence ?? {}).filter(({ found }) => found === "never").length;

/** The opening words by which a model tells this turn from a new question. */
function lookRequest(checks: readonly string[]): string {
  return `Check your answer against these points:\n${checks.map((check) => `- ${check}`).join("\n")}\nThen answer again with one JSON object and nothing else, all members included, corrected where a point is not met.`;
}
