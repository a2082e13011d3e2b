import { markupReady, patternsReady, remark, YoroshiError, type Json, type Remark } from "../ground/index.js";
import { ModelFailure, type AskedModel } from "../model/index.js";
import { hasSources, untypedPrepared, type Prepared } from "../template/index.js";
import type { Answer } from "./answer.js";
import { Conversation } from "./conversation.js";
import type { AskOptions } from "./ask-options.js";
import { askOnce, settingsFor, type Outcome, type OwnSettings } from "./question.js";
import type { Sure } from "./doubt.js";
import type { Opened } from "../sources/index.js";
import type { WithSources } from "./open-sources.js";
import { tooLong } from "./too-long.js";

/**
 * Asks a model one question: long inputs condensed, the question with at most one mend, then, as the template says,
 * further asks to find how sure the answer is, a dearer model when in doubt, a second look. Returns an answer in every
 * case in which the question itself is at fault; failures that would meet every row (a wrong key, a spent budget) are
 * thrown.
 *
 * @throws ModelFailure that is final (`unauthorised`, `quota`, `rejected`, `cancelled`), BudgetSpent.
 */
export async function askPrepared<Inputs, Parts>(
  prepared: Prepared<Inputs, Parts>,
  inputs: Readonly<Record<string, Json>>,
  options: AskOptions,
): Promise<Answer<Parts>> {
  if (options.working)
    return (await import("./working.js")).askWorking(options.working, inputs, options, askPrepared) as Promise<Answer<Parts>>;
  const talk = new Conversation(options.clock, options.signal);
  const own = untypedPrepared(prepared);
  const opened = await openFor(own, inputs, talk, options);
  // The row cannot be asked; nothing was sent.
  if ("reason" in opened)
    return { state: opened.mayPass ? "failed" : "malformed", raw: "", notes: [], ...talk.facts(), reason: opened.reason };
  const { prepared: whole, inputs: shown, seen, notes } = opened;
  const answer = (await answerFrom(whole, talk, options, async () => {
    const long = tooLong(whole, shown);
    if (long.length === 0) return { inputs: shown, notes };
    const condensed = await (await import("./condense.js")).condense(whole, shown, long, talk, options.model, options.recall);
    return { ...condensed, notes: [...notes, ...condensed.notes] };
  })) as Answer<Parts>;
  return seen.length > 0 ? { ...answer, seen } : answer;
}

/** A question with what its row names at hand; a model that cannot be reached meanwhile is the reason why it is not asked. */
async function openFor(
  own: Prepared,
  inputs: Readonly<Record<string, Json>>,
  talk: Conversation,
  options: AskOptions,
): Promise<WithSources | { readonly reason: Remark; readonly mayPass?: boolean | undefined }> {
  if (!hasSources(own)) return { prepared: { ...own, quotedIn: () => inputs }, inputs, seen: [], notes: [] };
  const { openSources } = await import("./open-sources.js");
  try {
    return await openSources(own, inputs, options.model, researchBy(own, inputs, talk, options));
  } catch (error) {
    if (error instanceof ModelFailure && error.mayPass) return { reason: remark("modelFailed", { problem: error.message }), mayPass: true };
    throw error;
  }
}

/** The way to look further, where the template lets the model ask for it. */
function researchBy(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  talk: Conversation,
  { model, signal }: AskOptions,
): ((found: Opened) => Promise<Opened>) | undefined {
  if (!prepared.template.legwork?.further) return undefined;
  return async (found) => (await import("./research.js")).researchFurther(prepared, inputs, found, talk, model, signal);
}

/** Where a question stands once its inputs are ready; another request may have answered it already. */
export interface Opening {
  readonly inputs: Readonly<Record<string, Json>>;
  readonly notes: readonly Remark[];
  readonly first?: Outcome | undefined;
}

/** From the opening of a question to its answer; a failure that may pass is an answer, too. */
export async function answerFrom(
  prepared: Prepared,
  talk: Conversation,
  options: AskOptions,
  open: () => Promise<Opening>,
): Promise<Answer> {
  const progress: Progress = { notes: [], raw: "" };
  await patternsReady();
  await markupReady();
  try {
    return await askAll(prepared, await open(), options, talk, progress);
  } catch (error) {
    if (error instanceof ModelFailure && error.mayPass)
      return {
        state: "failed",
        reason: remark("modelFailed", { problem: error.message }),
        raw: progress.raw,
        notes: progress.notes,
        ...talk.facts(),
      };
    throw error;
  }
}

/** What is told of an answer that a failure interrupts. */
interface Progress {
  notes: Remark[];
  raw: string;
}

async function askAll(
  prepared: Prepared,
  { inputs, notes, first: known }: Opening,
  options: AskOptions,
  talk: Conversation,
  progress: Progress,
): Promise<Answer> {
  const { doubt, secondLook } = prepared.template;
  progress.notes.push(...notes);
  const first = known ?? (await askOnce(prepared, inputs, talk, options.model, "asked", firstSettings(prepared, options), options.again));
  if (first.state !== "answered") return unanswered(first, talk, progress);
  let outcome: Extract<Outcome, { state: "answered" }> = first;
  progress.raw = first.reply.text;
  progress.notes.push(...first.notes);

  // Loaded by templates that want it: most pages have none.
  const sure: Sure = doubt
    ? await (await import("./doubt.js")).withConfidence(prepared, inputs, talk, options.model, first, (options.ask ?? 0) * SEEDS_APART)
    : { outcome: first };
  outcome = sure.outcome;
  if (sure.note) progress.notes.push(sure.note);
  if (doubt?.below !== undefined && sure.confidence && sure.confidence.value < doubt.below) {
    const dearer = otherModel(options, doubt.ask!);
    const second = await askOnce(prepared, inputs, talk, dearer, "in doubt");
    progress.notes.push(remark("inDoubt", { asked: doubt.ask! }));
    if (second.state !== "answered") return unanswered(second, talk, progress);
    outcome = second;
  }
  let { parts, evidence } = outcome;
  if (secondLook) {
    const { lookAgain } = await import("./second-look.js");
    const looked = await lookAgain(
      prepared,
      inputs,
      talk,
      secondLook.use === undefined ? options.model : otherModel(options, secondLook.use),
      secondLook,
      outcome,
    );
    parts = looked.parts;
    evidence = looked.evidence;
    progress.notes.push(looked.note);
  }
  return {
    state: "answered",
    parts,
    raw: outcome.reply.text,
    notes: progress.notes,
    ...talk.facts(),
    ...(evidence ? { evidence } : {}),
    ...(sure.confidence ? { confidence: sure.confidence } : {}),
    ...(secondLook ? { firstParts: outcome.parts } : {}),
  };
}

/** More than the asks of one answer, so that repeated answers share no seed. */
const SEEDS_APART = 100;

/** The settings of a question's first request. */
export function firstSettings(prepared: Prepared, { ask = 0 }: Pick<AskOptions, "ask">): OwnSettings {
  return { ...againSettings(prepared, ask), ...settingsFor(prepared.template.doubt, prepared, ask * SEEDS_APART) };
}

function againSettings({ template: { model } }: Prepared, ask: number): { readonly seed?: number } {
  return ask > 0 && (model?.seed !== undefined || (model?.temperature ?? 0) > 0) ? { seed: (model?.seed ?? 1) + ask * SEEDS_APART } : {};
}

function unanswered(outcome: Exclude<Outcome, { state: "answered" }>, talk: Conversation, { notes }: Progress): Answer {
  return { state: outcome.state, reason: outcome.reason, raw: outcome.reply.text, notes: [...notes, ...outcome.notes], ...talk.facts() };
}

function otherModel({ others }: AskOptions, name: string): AskedModel {
  const model = others?.[name];
  if (!model) throw new YoroshiError("misuse", { problem: `The template asks the model \`${name}\`, too; give it in \`others\`.` });
  return model;
}
