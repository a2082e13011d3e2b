import { canonicalJson, plainJson, quickHash, sha256Hex, textMessage, YoroshiError, type Json, type Message } from "../ground/index.js";
import { FOUND, kindOf, shapeSpec, specsWithin, type AnySpec, type DateSpec } from "../kinds/index.js";
import { fence, FENCE_NOTE, fenceMark } from "./fence.js";
import type { Sources } from "../sources/index.js";
import { askedShape, evidenceAt, evidencePaths, together } from "./evidence.js";
import { tellAnswer, type NamedShape } from "./instruct.js";
import { parseText, type ParsedText } from "./liquid.js";
import { expandPassages, type Passage } from "./passages.js";
import { pickExamples, type LabelledRows } from "./pick-examples.js";
import { datedSpec, inlineReference, resolveSpec, type References } from "./resolve.js";
import { rulesCheck } from "./rules.js";
import { RUN_NAMES, type RunValues } from "./run-values.js";
import { CONFIDENCE, DEFAULT_MAX_TOKENS, type Example, type Template, type TemplateShape } from "./template.js";

/** A template with its references read: all that is needed to ask it about any number of rows. */
export interface Prepared<Inputs = Record<string, Json>, Parts = Record<string, Json>> {
  readonly template: Template<Inputs, Parts>;
  readonly inputs: readonly NamedShape[];
  readonly parts: readonly NamedShape[];
  /**
   * What a reply about a row must have: the parts, dates counted from the row's own day, those that demand evidence with the words that
   * carry them; and the confidence where the model states it.
   */
  askedFor(inputs: Readonly<Record<string, Json | undefined>>): readonly NamedShape[];
  /** The inputs in which quotations are looked for, where they are not those that are shown: before they were condensed. */
  readonly quotedIn?: ((inputs: Readonly<Record<string, Json>>) => Readonly<Record<string, Json>>) | undefined;
  /** The ways to what rows name and do not hold. */
  readonly sources?: Sources | undefined;
  /** What is looked up before the question, as an input of its own. */
  readonly legwork?: NamedShape | undefined;
  /** The examples that the prompt carries, also those picked from a file. */
  readonly examples: readonly Example[];
  /** The JSON Schema of the whole answer. */
  readonly schema: Record<string, Json>;
  readonly maxTokens: number;
  /** What an answer whose parts fit their kinds breaks of the template's rules, in words. */
  brokenRules(parts: Readonly<Record<string, Json>>, inputs: Readonly<Record<string, Json>>): string[];
  /** Hash of all in the template and its references that decides an answer. */
  readonly fingerprint: string;
  /** What the fingerprint rests on, each piece with a short hash: the template, its references, its background. */
  readonly basis: Readonly<Record<string, string>>;
  /** The prompt for one row: role, task with fenced inputs, what the answer must be; examples as earlier turns. */
  render(inputs: Readonly<Record<string, Json | undefined>>): Message[];
  /** What the prompt is put together from. */
  readonly pieces: PromptPieces;
}

/** A prepared template without what its types say of its inputs and parts; see `untyped`. */
export const untypedPrepared = <Inputs, Parts>(prepared: Prepared<Inputs, Parts>): Prepared =>
  // The two differ in the types of their templates alone.
  prepared as unknown as Prepared;

/** What a prompt is put together from. */
export interface PromptPieces {
  /** Role, background and what fences mean. */
  system(inputs: Readonly<Record<string, unknown>>): Message;
  /** The task with a row's fenced inputs. */
  turn(inputs: Readonly<Record<string, unknown>>): string;
  /**
   * The task once for all rows, saying of each input that it stands with the row. Only where it prints its inputs and does
   * nothing else with them; otherwise each row needs a task of its own.
   */
  readonly shared?: string | undefined;
  /** What the answer must be. */
  readonly answer: string;
  /** The replies to the template's examples, as the model would have to give them. */
  readonly replies: readonly Readonly<Record<string, Json>>[];
}

/** What a prompt carries besides the row: documents, and the values of the run. */
export interface Surroundings {
  /** The documents that the template's `background` names, in its order. */
  readonly background?: readonly { readonly name: string; readonly text: string }[] | undefined;
  /** The texts that the template's `passages` name. */
  readonly passages?: readonly Passage[] | undefined;
  /** The file that the template's `examples` are taken from. */
  readonly labelled?: LabelledRows | undefined;
  readonly run?: RunValues | undefined;
  /** The ways to what rows name and do not hold: pictures, documents, pages. */
  readonly sources?: Sources | undefined;
}

/**
 * The way prompts are built, told with every answer (`Answer.form`). It is not part of the fingerprint: an upgrade alone makes
 * no cell stale and pays for nothing again; answers to prompts of an earlier form stand, and are counted as such.
 *
 * 1: fences that every row shares. 2: fences whose letters are made of the row.
 */
export const PROMPT_FORM = 2;
/** Stands in fingerprints since the first form. */
const FINGERPRINT_FORM = 1;

/**
 * Makes a template ready to be asked.
 *
 * @param references rows of the references that are read from files; those in the template itself are known.
 * @throws YoroshiError `misuse` when a reference, background, passage or value that the template needs is not given,
 * `samplesUnfit` when examples cannot be taken from their file.
 * @example
 * ```ts
 * import { messageText, prepare, template } from "yoroshi";
 *
 * const tone = template({ name: "tone", inputs: { note: { kind: "text" } }, task: "How? {{ note }}", answer: { calm: { kind: "yesNo" } } });
 * const prompt = prepare(tone).render({ note: "Late again!" });
 * prompt.map(({ role }) => role); // => ["system", "user"]
 * console.log(messageText(prompt[1]!));
 * ```
 */
export function prepare<Inputs, Parts>(
  template: Template<Inputs, Parts>,
  references: References = {},
  surroundings: Surroundings = {},
): Prepared<Inputs, Parts> {
  const known = referencesOf(template, references);
  const { background = [], labelled } = surroundings;
  for (const file of template.background ?? []) {
    if (!background.some((document) => document.name === file))
      throw new YoroshiError("misuse", { problem: `The template ${template.name} needs the background \`${file}\`.` });
  }
  const whole = expandPassages<TemplateShape>(template, surroundings.passages);
  const run = usedRunValues(whole, surroundings.run);
  const shaped = (specs: Readonly<Record<string, AnySpec>>): NamedShape[] =>
    Object.entries(specs).map(([name, spec]) => ({
      name,
      ...shapeSpec(resolveSpec(spec, known, surroundings.run, template.name), kindOf),
    }));
  const parts = shaped(template.answer);
  const inputs = shaped(template.inputs);
  const stated = template.doubt?.by === "stated" ? [STATED_CONFIDENCE] : [];
  const asked = [...parts.map(askedShape), ...stated];
  const schema: Record<string, Json> = {
    type: "object",
    properties: Object.fromEntries(asked.map((part) => [part.name, part.jsonSchema()])),
    required: asked.map((part) => part.name),
    additionalProperties: false,
  };
  const examples = examplesOf(template, inputs, parts, labelled);
  const isCounted = parts.some((part) => specsWithin(part.spec).some(({ spec }) => isDateFromInput(spec)));
  const pieces = piecesOfPrompt(whole, parts, asked, examples, known, background, run);
  return {
    template,
    inputs,
    parts,
    askedFor: isCounted
      ? (values) => [...parts.map(({ name, spec }) => askedShape({ name, ...shapeSpec(datedSpec(spec, values), kindOf) })), ...stated]
      : () => asked,
    sources: surroundings.sources,
    legwork: template.legwork && { name: FOUND, ...shapeSpec({ kind: "legwork", ...template.legwork } as AnySpec, kindOf) },
    examples,
    schema,
    maxTokens: template.model?.maxTokens ?? DEFAULT_MAX_TOKENS,
    brokenRules: rulesCheck(template.rules ?? []),
    basis: basisOfTemplate(whole, template, run, background, known),
    fingerprint: sha256Hex(
      canonicalJson({
        prompt: FINGERPRINT_FORM,
        role: whole.role,
        task: whole.task,
        inputs: template.inputs,
        answer: Object.fromEntries(parts.map((part) => [part.name, part.spec])),
        order: parts.map((part) => part.name),
        examples: template.examples && examples,
        rules: template.rules,
        legwork: template.legwork,
        whenLong: template.whenLong,
        secondLook: template.secondLook,
        doubt: template.doubt,
        background: background.length > 0 ? background : undefined,
        run: Object.keys(run).length > 0 ? run : undefined,
        references: known,
      }),
    ),
    pieces,
    render: renderOne(pieces, examples),
  };
}

/** What the fingerprint rests on, piece by piece, so that it can be told which of them changed. */
function basisOfTemplate(
  whole: TemplateShape,
  template: TemplateShape,
  run: Partial<RunValues>,
  background: Surroundings["background"],
  references: References,
): Record<string, string> {
  const { name: _, title: __, tags: ___, model: ____, offer: _____, ...content } = { ...whole, references: template.references };
  return {
    template: quickHash(canonicalJson(plainJson(content))),
    ...(background && background.length > 0 ? { background: quickHash(canonicalJson(plainJson(background))) } : {}),
    ...(Object.keys(run).length > 0 ? { "run's day": quickHash(canonicalJson(run as Json)) } : {}),
    ...Object.fromEntries(
      Object.entries(references).map(([name, rows]) => [`reference ${name}`, quickHash(canonicalJson(plainJson(rows)))]),
    ),
  };
}

/** Asked for last, so that the answer stands before the model says how sure it is. */
const STATED_CONFIDENCE: NamedShape = {
  name: CONFIDENCE,
  ...shapeSpec(
    { kind: "number", from: 0, to: 1, about: "How sure you are that all of the above is right, 1 being certain" } as AnySpec,
    kindOf,
  ),
};
/** What the examples say of their own confidence: they are right, yet "certain" would be copied. */
const EXAMPLE_CONFIDENCE = 0.9;

const isDateFromInput = (spec: AnySpec): boolean => ((spec as DateSpec).relativeTo ?? "today") !== "today";

function referencesOf(template: TemplateShape, given: References): References {
  return Object.fromEntries(
    Object.entries(template.references ?? {}).map(([name, spec]) => {
      const rows = inlineReference(spec) ?? given[name];
      if (!rows) throw new YoroshiError("misuse", { problem: `The template ${template.name} needs the reference \`${name}\`.` });
      return [name, rows];
    }),
  );
}

function examplesOf(
  template: TemplateShape,
  inputs: readonly NamedShape[],
  parts: readonly NamedShape[],
  labelled: LabelledRows | undefined,
): readonly Example[] {
  const { examples = [] } = template;
  if (!("from" in examples)) return examples;
  if (!labelled)
    throw new YoroshiError("misuse", { problem: `The template ${template.name} takes examples from ${examples.from}; give its rows.` });
  return pickExamples(template, inputs, parts, examples, labelled);
}

/** The part at a path: `hazard`, or inside a record `contact.email`. `undefined` where there is none. */
export function partAt(parts: readonly NamedShape[], path: string): NamedShape | undefined {
  const [first, ...inner] = path.split(".");
  const top = parts.find((part) => part.name === first);
  if (!top || inner.length === 0) return top;
  const spec = inner.reduce<AnySpec | undefined>(
    (outer, name) => (outer as { parts?: Record<string, AnySpec> } | undefined)?.parts?.[name],
    top.spec,
  );
  return spec && { name: path, ...shapeSpec(spec, kindOf) };
}

/** The paths that a column can take of an answer: its parts, and their evidence. */
export const columnPaths = (answer: Readonly<Record<string, AnySpec>>): string[] => [...partPaths(answer), ...evidencePaths(answer)];

const EVIDENCE_SHAPE = shapeSpec({ kind: "text" }, kindOf);

/** The part, or the piece of evidence, at a path. */
export const columnAt = (parts: readonly NamedShape[], path: string): NamedShape | undefined =>
  evidenceAt(parts, path) ? { name: path, ...EVIDENCE_SHAPE } : partAt(parts, path);

/** The paths of all parts, those inside records included. */
export function partPaths(answer: Readonly<Record<string, AnySpec>>): string[] {
  return Object.entries(answer).flatMap(([name, spec]) => [
    name,
    ...partPaths((spec as { parts?: Record<string, AnySpec> }).parts ?? {}).map((inner) => `${name}.${inner}`),
  ]);
}

/** The run's values that the template's text uses; only these decide an answer. */
function usedRunValues(template: TemplateShape, run: RunValues | undefined): Partial<RunValues> {
  const uses = [template.role ?? "", template.task].flatMap((text) => parseText(text).text?.uses.map((use) => use.name) ?? []);
  const used = RUN_NAMES.filter((name) => uses.includes(name) && !(name in template.inputs));
  if (used.length > 0 && !run)
    throw new YoroshiError("misuse", { problem: `The template ${template.name} uses \`{{ ${used[0]} }}\`; give the run's values.` });
  return Object.fromEntries(used.map((name) => [name, run![name]]));
}

function piecesOfPrompt(
  template: TemplateShape,
  parts: readonly NamedShape[],
  asked: readonly NamedShape[],
  examples: readonly Example[],
  references: References,
  background: NonNullable<Surroundings["background"]>,
  run: Partial<RunValues>,
): PromptPieces {
  const trusted = new Set([...Object.keys(references), ...Object.keys(run)]);
  const documents = background.map(({ name, text }) => `Background: ${name}\n${text.trim()}`);
  const role = template.role ? parsed(template.role, trusted) : undefined;
  const task = parsed(template.task, trusted);
  const usesInputs = role?.uses.some(({ name }) => name in template.inputs) === true;
  const scopeOf = (inputs: Readonly<Record<string, unknown>>): Record<string, unknown> => ({ ...references, ...run, ...inputs });
  const confidence = asked.length > parts.length ? { [CONFIDENCE]: EXAMPLE_CONFIDENCE } : {};
  const systemFor = (inputs: Readonly<Record<string, unknown>>, mark: string): Message =>
    textMessage("system", [role?.render(scopeOf(inputs), mark).trim(), ...documents, FENCE_NOTE].filter(Boolean).join("\n\n"));
  // What was found stands behind the task, unless the task says where.
  const showsFound = template.legwork !== undefined && !task.uses.some(({ name }) => name === FOUND);
  const foundWords = (inputs: Readonly<Record<string, unknown>>): string =>
    showsFound && inputs[FOUND] !== undefined ? `What was looked up beforehand:\n${fence(FOUND, inputs[FOUND], fenceMark(inputs))}` : "";
  // The same for all rows, and the same object, so that whoever writes it out does so once.
  let same: Message | undefined;
  return {
    system: (inputs) => (usesInputs ? systemFor(inputs, fenceMark(inputs)) : (same ??= systemFor({}, ""))),
    turn: (inputs) => [task.render(scopeOf(inputs), fenceMark(inputs)).trim(), foundWords(inputs)].filter(Boolean).join("\n\n"),
    get shared() {
      const shared = sharedTask(template, trusted);
      return shared && parsed(shared, trusted).render(scopeOf({}), "").trim();
    },
    answer: tellAnswer(asked, template.rules),
    replies: examples.map(({ answer, evidence }) => ({
      ...Object.fromEntries(parts.map(({ name, spec }) => [name, together(spec, answer[name]!, evidence?.[name])])),
      ...confidence,
    })),
  };
}

/** The task with the names of its inputs in place of their values, where it does nothing with them but print them. */
function sharedTask({ task, inputs }: TemplateShape, trusted: ReadonlySet<string>): string | undefined {
  const printsOnly =
    !task.includes("{%") &&
    [...task.matchAll(/\{\{(.*?)\}\}/gs)].every(
      ([, inner]) => /^-?\s*\w+\s*-?$/.test(inner!) || trusted.has(/^-?\s*(\w+)/.exec(inner!)?.[1] ?? ""),
    );
  return printsOnly
    ? task.replace(/\{\{-?\s*(\w+)\s*-?\}\}/g, (written, name: string) => (name in inputs ? `(the row's ${name})` : written))
    : undefined;
}

/** Why rows of a template cannot share a request, or `undefined` where they can. */
export function whyAlone({ role, inputs, doubt, legwork }: TemplateShape): string | undefined {
  const used = parseText(role ?? "").text?.uses.find(({ name }) => name in inputs);
  if (used) return `the role uses the input \`${used.name}\`, which differs from row to row`;
  const named = Object.entries(inputs).find(([, { kind }]) => kindOf(kind).source);
  if (named) return `the input \`${named[0]}\` is a file or page, which is shown with its own row`;
  if (legwork) return "what is looked up for a row is shown with it";
  return doubt?.by === "logProbabilities" ? "log probabilities tell how sure the model is only of a row by itself" : undefined;
}

function renderOne({ system, turn, answer, replies }: PromptPieces, given: readonly Example[]): Prepared["render"] {
  const examples = given.flatMap((example, index): Message[] => [
    textMessage("user", turn(example.inputs)),
    textMessage("assistant", JSON.stringify(replies[index])),
  ]);
  return (inputs) => [system(inputs), ...examples, textMessage("user", `${turn(inputs)}\n\n${answer}`)];
}

function parsed(source: string, trusted: ReadonlySet<string>): ParsedText {
  const { text, problem } = parseText(source, trusted);
  if (!text) throw new YoroshiError("misuse", { problem: `The template's text cannot be read: ${problem!.problem}.` });
  return text;
}
