import { remark, textMessage, type Json, type Message, type Remark } from "../ground/index.js";
import type { AskedModel, ModelReply, ModelRequest } from "../model/index.js";
import { CONFIDENCE, DEFAULT_DOUBT, type Doubt, type Prepared } from "../template/index.js";
import type { Answer, Exchange } from "./answer.js";
import { valuesGiven, type Founded } from "./founded.js";
import type { Conversation } from "./conversation.js";
import { readReply, type ReplyReading } from "./read-reply.js";

/** Settings of one request that differ from the template's own. */
export interface OwnSettings {
  readonly temperature?: number | undefined;
  readonly seed?: number | undefined;
  readonly logProbabilities?: boolean | undefined;
}

/** The settings of the first request, as the way of finding the confidence wants them. */
export function settingsFor(doubt: Doubt | undefined, prepared: Prepared, ask = 0): OwnSettings {
  if (doubt?.by === "logProbabilities") return { logProbabilities: true };
  if (doubt?.by !== "agreement") return {};
  return { temperature: doubt.temperature ?? DEFAULT_DOUBT.temperature, seed: (prepared.template.model?.seed ?? 1) + ask };
}

/** What a person said of an earlier answer. */
export interface Objection {
  /** The answer as JSON. */
  readonly before: string;
  readonly says: string;
}

const objectionTo = ({ before, says }: Objection): Message[] => [
  textMessage("assistant", before),
  textMessage(
    "user",
    `A person who checked this answer says of it:\n${says}\nAnswer again with one JSON object and nothing else, all members included. Follow what the person says where the text allows it.`,
  ),
];

/** What one question and at most one mend came to. */
export type Outcome =
  | {
      readonly state: "answered";
      readonly parts: Record<string, Json>;
      readonly evidence?: Founded["evidence"];
      readonly stated: number | undefined;
      readonly reply: ModelReply;
      readonly notes: readonly Remark[];
      readonly messages: readonly Message[];
    }
  | {
      readonly state: Exclude<Answer["state"], "answered" | "declined" | "failed">;
      readonly reason: Remark;
      readonly reply: ModelReply;
      readonly notes: readonly Remark[];
    };

/** Asks once and reads the reply; one that does not fit is asked to be put right once. */
export async function askOnce(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  talk: Conversation,
  model: AskedModel,
  why: Exchange["why"],
  own: OwnSettings = {},
  again?: Objection,
): Promise<Outcome> {
  const messages = again ? [...prepared.render(inputs), ...objectionTo(again)] : prepared.render(inputs);
  const first = await talk.send(why, model, requestOf(prepared, messages, own));
  const stopped = stoppedEarly(first, []);
  if (stopped) return stopped;
  const reading = await readChecked(prepared, inputs, first.text);
  if (reading.ok && reading.unfounded.length === 0) return { state: "answered", reply: first, messages, ...reading };
  const problems = reading.ok ? reading.unfounded : reading.problems;

  const second = await talk.send(
    "mend",
    model,
    requestOf(prepared, [...messages, textMessage("assistant", first.text), textMessage("user", mendRequest(problems))], own),
  );
  const stoppedAgain = stoppedEarly(second, [remark("mended")]);
  // An answer that lacks nothing but words which carry it stands without those parts.
  const asItStood: Outcome | undefined = reading.ok
    ? { state: "answered", reply: first, messages, ...reading, notes: [remark("mended"), ...reading.notes] }
    : undefined;
  if (stoppedAgain) return asItStood ?? stoppedAgain;
  const mended = await readChecked(prepared, inputs, second.text, "mended");
  if (!mended.ok)
    return (
      asItStood ?? {
        state: "malformed",
        reason: remark("malformed", { problems: mended.problems }),
        reply: second,
        notes: [remark("mended")],
      }
    );
  if (asItStood && reading.ok && reading.unfounded.length < mended.unfounded.length) return asItStood;
  return { state: "answered", reply: second, messages, ...mended, notes: [remark("mended"), ...mended.notes] };
}

/** The request for a prompt, with the template's settings. */
export function requestOf(prepared: Prepared, messages: readonly Message[], own: OwnSettings = {}): ModelRequest {
  const { use: _, maxTokens: __, ...settings } = prepared.template.model ?? {};
  return { messages, schema: prepared.schema, schemaName: prepared.template.name, maxTokens: prepared.maxTokens, ...settings, ...own };
}

export type Checked =
  | ({ readonly ok: true; readonly stated: number | undefined; readonly notes: readonly Remark[] } & Founded)
  | Extract<ReplyReading, { ok: false }>;

/** Reads a reply; an answer that fits its kinds but breaks a rule is handled like one that does not fit. */
export async function readChecked(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  reply: string,
  found: "atOnce" | "mended" = "atOnce",
): Promise<Checked> {
  return checked(prepared, inputs, await readReply(prepared.askedFor(inputs), reply), found);
}

/** Holds what was read against the template's rules. */
export async function checked(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  reading: ReplyReading,
  found: "atOnce" | "mended" = "atOnce",
): Promise<Checked> {
  if (!reading.ok) return reading;
  const isStated = prepared.template.doubt?.by === "stated";
  const { [CONFIDENCE]: stated, ...own } = reading.parts;
  const given = isStated ? own : reading.parts;
  // Loaded by templates that demand it: most do not.
  const founded = prepared.parts.some(({ spec }) => spec.evidence)
    ? (await import("./evidence.js")).lookForEvidence(prepared, inputs, given, found)
    : { parts: given, notes: [], unfounded: [] };
  const broken = prepared.brokenRules(valuesGiven(founded), inputs);
  return broken.length > 0
    ? { ok: false, problems: broken }
    : {
        ok: true,
        ...founded,
        stated: isStated ? (stated as number) : undefined,
        notes: [...reading.notes, ...founded.notes],
      };
}

function stoppedEarly(reply: ModelReply, notes: readonly Remark[]): Outcome | undefined {
  const { finish, refusal } = reply;
  if (finish === "refused")
    return { state: "refused", reason: remark("refused", refusal ? { said: refusal.slice(0, 200) } : {}), reply, notes };
  if (finish === "filtered") return { state: "filtered", reason: remark("filtered"), reply, notes };
  return finish === "length" ? { state: "cutShort", reason: remark("cutShort"), reply, notes } : undefined;
}

function mendRequest(problems: readonly string[]): string {
  return `That answer cannot be used:\n${problems.map((problem) => `- ${problem}`).join("\n")}\nAnswer again with one JSON object and nothing else, all members included, with these points put right.`;
}
