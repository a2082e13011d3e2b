import { checkPrices, modelsAsked, probe } from "../asking/index.js";
import { targetColumns, type FillOptions, type FillSetup, renewsStanding } from "../cells/index.js";
import { toMicros, YoroshiError, type CancelSignal } from "../ground/index.js";
import type { Model, ModelFailure } from "../model/index.js";
import type { CountTokens } from "./preview.js";

export interface PreflightOptions extends FillOptions {
  /** Gives what counts a text's tokens; called where a prompt may be too long for its model. Default: four characters a token. */
  readonly tokenizer?: (() => Promise<CountTokens>) | undefined;
  /** Ask each model that has not answered in this project yet for a word. Default true. */
  readonly probe?: boolean | undefined;
  readonly signal?: CancelSignal | undefined;
}

/** One thing that stands in the way of a fill. */
export interface Problem {
  readonly message: string;
  readonly error: YoroshiError | ModelFailure;
  /** Of the model, where it is the model's. */
  readonly host?: string | undefined;
}

const noteName = (model: Model): string => `answered:${model.host} ${model.id}`;

/**
 * Looks for what would stop a fill before it begins, and tells all of it at once: a source that cannot be read, a key column
 * that is not there, columns that are missing or may not be written, a cap on a model without a price, a model that cannot be
 * reached or does not take the key, rows that are too long for their model.
 *
 * @returns the problems; none when the fill can begin.
 * @example
 * ```ts
 * import { preflight } from "yoroshi";
 *
 * // `setup` as in the example of `fill`; with `probe` each model is asked for a word first.
 * const problems = await preflight(setup, { probe: true });
 * problems.map(({ message }) => message); // => []
 * ```
 */
export async function preflight(setup: FillSetup, options: PreflightOptions = {}): Promise<Problem[]> {
  const { table, plan, asking, ledger } = setup;
  const problems: Problem[] = [];
  const attempt = async (check: () => Promise<void>): Promise<void> => {
    try {
      await check();
    } catch (error) {
      if (!(error instanceof YoroshiError)) throw error;
      problems.push({ message: error.message, error });
    }
  };
  const targets = targetColumns(setup);
  await attempt(async () => {
    const rows = table.read()[Symbol.asyncIterator]();
    await rows.next();
    await rows.return?.();
    if (table.keysMayRepeat) await (await import("./key-repeats.js")).checkKeys(setup);
  });
  await attempt(async () => void (await renewsStanding(setup, options)));
  await attempt(async () => {
    const statements = (await table.missingColumns?.(targets)) ?? [];
    if (statements.length > 0 && !options.createColumns) throw new YoroshiError("columnsMissing", { table: table.target, statements });
    if (statements.length === 0) await table.checkWritable?.(targets);
  });
  if (problems.length === 0 && Object.values(asking).some(({ model }) => model.context !== undefined))
    await attempt(async () => (await import("./over-context.js")).checkContext(setup, options, options.tokenizer));
  const models = modelsAsked(Object.values(asking));
  const spendCap = options.spendCap ?? (plan.limits.spend === undefined ? undefined : toMicros(plan.limits.spend));
  if (spendCap !== undefined || setup.monthlyCap !== undefined) await attempt(async () => checkPrices(models));
  for (const model of options.probe === false ? [] : models) {
    if ((await ledger.facts.get(noteName(model))) !== undefined) continue;
    const failure = await probe({ ...setup, spendCap }, model, options.signal);
    if (failure === undefined) await ledger.facts.set(noteName(model), true);
    else if (failure !== "noRoom") problems.push(...problemOf(failure, model));
  }
  return problems;
}

/** What a model's failure says of it; what passes by itself is no reason not to begin. */
function problemOf(error: ModelFailure, model: Model): Problem[] {
  const told = (message: string): Problem[] => [{ message, error, host: model.host }];
  switch (error.kind) {
    case "unauthorised":
      return told(`${model.host} refused the key for the model ${model.id} (${error.message}).`);
    case "quota":
      return told(`${model.host} says that the quota is spent.`);
    case "rejected":
      return told(
        `${model.host} rejected a request to the model ${model.id}: ${error.message}. Check its id and settings in yoroshi.yaml.`,
      );
    case "network":
      return told(`${model.host} cannot be reached for the model ${model.id}: ${error.message}.`);
    case "timeout":
      return told(
        `${model.host} did not answer a short question to the model ${model.id}: ${error.message}. Raise \`timeoutSeconds\` in yoroshi.yaml if it is that slow.`,
      );
    default:
      return [];
  }
}
