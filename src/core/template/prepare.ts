import { canonicalJson, sha256Hex, YoroshiError, type Json } from "../ground/index.js";
import { kindOf, mapChoices, referenceOf, shapeSpec, type AnySpec, type Option } from "../kinds/index.js";
import { FENCE_NOTE } from "./fence.js";
import { tellAnswer, type NamedShape } from "./instruct.js";
import { parseText, type ParsedText } from "./liquid.js";
import { rulesCheck } from "./rules.js";
import { RUN_NAMES, type RunValues } from "./run-values.js";
import { DEFAULT_MAX_TOKENS, type Template, type TemplateShape } from "./template.js";

/** One turn of a conversation with a model. */
export interface Message {
  readonly role: "system" | "user" | "assistant";
  readonly content: string;
}

/** A template with its references read: all that is needed to ask it about any number of rows. */
export interface Prepared<Inputs = Record<string, Json>, Parts = Record<string, Json>> {
  readonly template: Template<Inputs, Parts>;
  readonly inputs: readonly NamedShape[];
  readonly parts: readonly NamedShape[];
  /** The JSON Schema of the whole answer. */
  readonly schema: Record<string, Json>;
  readonly maxTokens: number;
  /** What an answer whose parts fit their kinds breaks of the template's rules, in words. */
  brokenRules(parts: Readonly<Record<string, Json>>): string[];
  /** Hash of all in the template and its references that decides an answer. */
  readonly fingerprint: string;
  /** The prompt for one row: role, task with fenced inputs, what the answer must be; examples as earlier turns. */
  render(inputs: Readonly<Record<string, Json | undefined>>): Message[];
}

/** What a prompt carries besides the row: documents, and the values of the run. */
export interface Surroundings {
  /** The documents that the template's `background` names, in its order. */
  readonly background?: readonly { readonly name: string; readonly text: string }[] | undefined;
  readonly run?: RunValues | undefined;
}

/** Rows of the references that a template names. */
export type References = Readonly<Record<string, readonly Option[]>>;

/** Changes when the way prompts are built changes, so that answers to differently built prompts are told apart. */
const PROMPT_FORMAT = 1;

/**
 * Makes a template ready to be asked.
 *
 * @throws YoroshiError `misuse` when a reference that the template names is not given or empty.
 */
export function prepare<Inputs, Parts>(template: Template<Inputs, Parts>, references: References = {}, surroundings: Surroundings = {}): Prepared<Inputs, Parts> {
  const names = Object.keys(template.references ?? {});
  for (const name of names) if (!references[name]) throw new YoroshiError("misuse", { problem: `The template ${template.name} needs the reference \`${name}\`.` });
  const { background = [] } = surroundings;
  for (const file of template.background ?? []) {
    if (!background.some((document) => document.name === file)) throw new YoroshiError("misuse", { problem: `The template ${template.name} needs the background \`${file}\`.` });
  }
  const run = usedRunValues(template, surroundings.run);
  const shaped = (specs: Readonly<Record<string, AnySpec>>): NamedShape[] =>
    Object.entries(specs).map(([name, spec]) => ({ name, ...shapeSpec(resolve(spec, references, template.name), kindOf) }));
  const parts = shaped(template.answer);
  const inputs = shaped(template.inputs);
  const schema: Record<string, Json> = {
    type: "object",
    properties: Object.fromEntries(parts.map((part) => [part.name, part.jsonSchema()])),
    required: parts.map((part) => part.name),
    additionalProperties: false,
  };
  const prompt = promptOf(template, parts, references, background, run);
  return {
    template,
    inputs,
    parts,
    schema,
    maxTokens: template.model?.maxTokens ?? DEFAULT_MAX_TOKENS,
    brokenRules: rulesCheck(template.rules ?? []),
    fingerprint: sha256Hex(canonicalJson({
      prompt: PROMPT_FORMAT,
      role: template.role,
      task: template.task,
      inputs: template.inputs,
      answer: Object.fromEntries(parts.map((part) => [part.name, part.spec])),
      order: parts.map((part) => part.name),
      examples: template.examples,
      rules: template.rules,
      background: background.length > 0 ? background : undefined,
      run: Object.keys(run).length > 0 ? run : undefined,
      references: Object.fromEntries(names.map((name) => [name, references[name]])),
    })),
    render: prompt,
  };
}

/** The part at a path: `hazard`, or inside a record `contact.email`. `undefined` where there is none. */
export function partAt(parts: readonly NamedShape[], path: string): NamedShape | undefined {
  const [first, ...inner] = path.split(".");
  const top = parts.find((part) => part.name === first);
  if (!top || inner.length === 0) return top;
  const spec = inner.reduce<AnySpec | undefined>((outer, name) => (outer as { parts?: Record<string, AnySpec> } | undefined)?.parts?.[name], top.spec);
  return spec && { name: path, ...shapeSpec(spec, kindOf) };
}

/** The paths of all parts, those inside records included. */
export function partPaths(answer: Readonly<Record<string, AnySpec>>): string[] {
  return Object.entries(answer).flatMap(([name, spec]) => [name, ...partPaths((spec as { parts?: Record<string, AnySpec> }).parts ?? {}).map((inner) => `${name}.${inner}`)]);
}

function resolve(spec: AnySpec, references: References, template: string): AnySpec {
  return mapChoices(spec, (choice) => {
    const from = referenceOf(choice);
    if (from === undefined) return choice;
    const rows = references[from] ?? [];
    if (rows.length === 0) throw new YoroshiError("misuse", { problem: `The reference \`${from}\` of the template ${template} has no rows, so there is nothing to choose from.` });
    return { ...choice, resolved: rows } as AnySpec;
  });
}

/** The run's values that the template's text uses; only these decide an answer. */
function usedRunValues(template: TemplateShape, run: RunValues | undefined): Partial<RunValues> {
  const uses = [template.role ?? "", template.task].flatMap((text) => parseText(text).text?.uses.map((use) => use.name) ?? []);
  const used = RUN_NAMES.filter((name) => uses.includes(name) && !(name in template.inputs));
  if (used.length > 0 && !run) throw new YoroshiError("misuse", { problem: `The template ${template.name} uses \`{{ ${used[0]} }}\`; give the run's values.` });
  return Object.fromEntries(used.map((name) => [name, run![name]]));
}

function promptOf(
  template: TemplateShape,
  parts: readonly NamedShape[],
  references: References,
  background: NonNullable<Surroundings["background"]>,
  run: Partial<RunValues>,
): Prepared["render"] {
  const trusted = new Set([...Object.keys(references), ...Object.keys(run)]);
  const documents = background.map(({ name, text }) => `Background: ${name}\n${text.trim()}`);
  const role = template.role ? parsed(template.role, trusted) : undefined;
  const task = parsed(template.task, trusted);
  const answer = tellAnswer(parts, template.rules);
  const scopeOf = (inputs: Readonly<Record<string, unknown>>): Record<string, unknown> => ({ ...references, ...run, ...inputs });
  const turn = (inputs: Readonly<Record<string, unknown>>): string => task.render(scopeOf(inputs)).trim();
  const examples: Message[] = (template.examples ?? []).flatMap((example) => [
    { role: "user" as const, content: turn(example.inputs) },
    { role: "assistant" as const, content: JSON.stringify(Object.fromEntries(parts.map((part) => [part.name, example.answer[part.name]]))) },
  ]);
  return (inputs) => [
    { role: "system", content: [role?.render(scopeOf(inputs)).trim(), ...documents, FENCE_NOTE].filter(Boolean).join("\n\n") },
    ...examples,
    { role: "user", content: `${turn(inputs)}\n\n${answer}` },
  ];
}

function parsed(source: string, trusted: ReadonlySet<string>): ParsedText {
  const { text, problem } = parseText(source, trusted);
  if (!text) throw new YoroshiError("misuse", { problem: `The template's text cannot be read: ${problem!.problem}.` });
  return text;
}
