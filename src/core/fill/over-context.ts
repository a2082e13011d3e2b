import { type AskWork, type FillOptions, type FillSetup, type StepWork, consider, walk } from "../cells/index.js";
import { requestOf, type Asking } from "../asking/index.js";
import { countChars, groupDigits, messageText, plural, YoroshiError } from "../ground/index.js";
import type { Prepared } from "../template/index.js";
import { chosenWork } from "./draw.js";
import type { CountTokens } from "./preview.js";
import type { RowQuestion } from "./run.js";
import { settledTallies } from "./settled.js";

const USUAL_CHARS_A_TOKEN = 4;
const KEYS_SHOWN = 3;

/** What is found of one step. */
interface Found {
  rows: number;
  readonly keys: string[];
  longest: { readonly key: string; readonly tokens: number };
}

/**
 * Looks for rows whose prompt and answer together do not fit the context of the model that they would be sent to. Only the
 * rows that would be asked count, and of steps that take what others are yet to give, none. The table is read only where
 * the templates' own limits leave it open whether some row is too long.
 *
 * @param tokenizer gives what counts a text; called where it is needed. Default: four characters a token.
 * @throws YoroshiError `overContext` for the first step that has such rows.
 */
export async function checkContext(setup: FillSetup, options: FillOptions, tokenizer?: () => Promise<CountTokens>): Promise<void> {
  const open = Object.values(setup.asking).some((asking) => asking.model.context !== undefined && mayExceed(asking, asking.model.context));
  if (!open) return;
  const work = await chosenWork(setup, options);
  const steps = work.steps.filter(
    (one): one is StepWork & { does: AskWork } =>
      one.needs.length === 0 &&
      one.does.kind === "ask" &&
      one.does.model.context !== undefined &&
      mayExceed(one.does, one.does.model.context),
  );
  if (steps.length === 0 || (await settledTallies(work, options))) return;
  const countTokens = (await tokenizer?.()) ?? ((text: string): number => Math.ceil(text.length / USUAL_CHARS_A_TOKEN));
  const found = new Map<StepWork, Found>();
  for await (const { rows } of walk(work)) {
    for (const one of steps) {
      for (const { passed, decision } of await consider(work, one, rows)) {
        if (decision.do !== "answer") continue;
        const tokens = tokensOver(one.does, decision.inputs, countTokens);
        if (tokens !== undefined) note(found, one, passed.row.key, tokens);
      }
    }
  }
  for (const [one, { rows, keys, longest }] of found) {
    const { model, prepared } = (one as StepWork & { does: AskWork }).does;
    throw new YoroshiError("overContext", {
      step: one.name,
      template: prepared.template.name,
      model: model.id,
      context: groupDigits(model.context!),
      rows: plural(rows, "row"),
      keys,
      longest: longest.key,
      tokens: groupDigits(longest.tokens),
    });
  }
}

/** The tokens of a row's prompt with its answer, where they are more than the model's context. */
function tokensOver(does: AskWork, row: RowQuestion["inputs"], countTokens: CountTokens): number | undefined {
  const context = does.model.context!;
  const { prepared, inputs } = requestOf(does, row);
  const messages = prepared.render(condensed(prepared, inputs));
  const chars = messages.reduce((sum, message) => sum + messageText(message).length, 0);
  // A token is a character or more, in whatever script; counting takes far longer than looking at the length.
  if (chars + prepared.maxTokens <= context) return undefined;
  const tokens = messages.reduce((sum, message) => sum + countTokens(messageText(message)), 0) + prepared.maxTokens;
  return tokens > context ? tokens : undefined;
}

/** An input that is condensed first arrives at its limit at most. */
function condensed(prepared: Prepared, inputs: Parameters<Prepared["render"]>[0]): Parameters<Prepared["render"]>[0] {
  const shorter = Object.entries(prepared.template.whenLong ?? {}).flatMap(([name, way]) => {
    const { maxChars } = (prepared.inputs.find((input) => input.name === name)?.spec ?? {}) as { maxChars?: number };
    const text = inputs[name];
    return way === "condense" && typeof text === "string" && maxChars !== undefined && countChars(text) > maxChars
      ? [[name, text.slice(0, maxChars)] as const]
      : [];
  });
  return shorter.length === 0 ? inputs : { ...inputs, ...Object.fromEntries(shorter) };
}

/** Whether the template's own limits leave it open that a prompt is too long. */
function mayExceed(asking: Asking, context: number): boolean {
  const { prepared } = requestOf(asking, {});
  let chars = prepared.render({}).reduce((sum, message) => sum + messageText(message).length, 0);
  for (const { spec, kind } of prepared.inputs) {
    if (!kind.isProse && !kind.takesRows) continue;
    const { maxChars } = spec as { maxChars?: number };
    if (maxChars === undefined) return true;
    chars += maxChars;
  }
  return chars + prepared.maxTokens > context;
}

function note(found: Map<StepWork, Found>, one: StepWork, key: string, tokens: number): void {
  const own = found.get(one) ?? { rows: 0, keys: [], longest: { key, tokens } };
  found.set(one, own);
  own.rows++;
  if (own.keys.length < KEYS_SHOWN) own.keys.push(key);
  if (tokens > own.longest.tokens) own.longest = { key, tokens };
}
