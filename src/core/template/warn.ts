import { groupDigits, joinWords, messageText, plural, type Place, type SourceDocument } from "../ground/index.js";
import { DEFAULT_LONGEST_SIDE, kindOf, specsInside, type AnySpec, type DocumentSpec, type TextSpec } from "../kinds/index.js";
import { isLookedUpBy } from "./errands.js";
import { parseText } from "./liquid.js";
import type { Prepared } from "./prepare.js";
import type { Template } from "./template.js";

/** What practitioners trip over: it works, and yet is likely to give worse answers. `docs/warnings.md` explains each. */
export interface Warning {
  readonly code: WarningCode;
  readonly place: Place;
  readonly message: string;
}

const SENTENCES = {
  noInstruction: () => "The task does not say what to do. Begin a sentence with a verb (Decide, List, Sum up) or ask a question.",
  bareOptions: (d: { part: string; options: readonly string[] }) =>
    `The options of \`${d.part}\` do not say what they mean (${joinWords(d.options.slice(0, 3))}). A few words for each help most.`,
  overlappingOptions: (d: { one: string; other: string }) =>
    `The options \`${d.one}\` and \`${d.other}\` overlap. Say where one ends and the other begins, or make one of them.`,
  verdictFirst: (d: { reason: string; verdict: string }) =>
    `\`${d.reason}\` stands behind \`${d.verdict}\`. A reason that is written before the verdict makes the verdict better.`,
  endlessText: (d: { part: string }) =>
    `\`${d.part}\` has no limit. Add \`maxChars\`, \`maxWords\` or \`maxSentences\`, or long answers will be cut short and cost more.`,
  bareScale: (d: { part: string; missing: readonly string[] }) =>
    `The scale of \`${d.part}\` does not say what ${joinWords(d.missing)} ${d.missing.length > 1 ? "mean" : "means"}. Describe at least both ends.`,
  schemaNotTaken: (d: { model: string }) =>
    `The model \`${d.model}\` takes no JSON Schema, so its answers are read from its words alone and need mending more often.`,
  probabilitiesNotGiven: (d: { model: string }) =>
    `The model \`${d.model}\` is not said to give log probabilities (\`can: [logProbabilities]\`), by which this template finds its doubt.`,
  overContext: (d: { model: string; tokens: number; context: number }) =>
    `The longest prompt may take ${groupDigits(d.tokens)} tokens with its answer; the model \`${d.model}\` has room for ${groupDigits(d.context)}. Lower \`maxChars\` of an input, or carry less background.`,
  releaseOutOfReach: (d: { rows: number; needed: number; wrongAtMost: number; sure: number }) =>
    `${plural(d.rows, "row")} cannot show that at most ${d.wrongAtMost * 100} % are wrong, ${d.sure * 100} % sure: even without any wrong one it takes ${d.needed} rows of a large table. Check more, or allow more to be wrong.`,
  fillsSource: (d: { column: string; table: string }) =>
    `\`${d.column}\` is a column of ${d.table} already. What stands in it counts as a person's and stays; only blank cells are filled. Fill a column of its own, or say with \`takes\` which values may be replaced.`,
  imagesNotTaken: (d: { model: string; input: string }) =>
    `The model \`${d.model}\` is not said to see pictures (\`can: [images]\`), and \`${d.input}\` shows it some.`,
  largePictures: (d: { model: string; input: string; sent: number; taken: number }) =>
    `\`${d.input}\` sends pictures of up to ${groupDigits(d.sent)} points a side; the model \`${d.model}\` takes ${groupDigits(d.taken)} and makes larger ones smaller. Say \`longestSide: ${d.taken}\`.`,
  endlessSource: (d: { input: string }) =>
    `\`${d.input}\` has no limit, so one long document may cost more than all others, or not fit at all. Add \`maxChars\`, and say in \`whenLong\` what becomes of longer ones.`,
  unprintedInput: (d: { input: string }) =>
    `The model never sees \`${d.input}\`: it is used in a condition only. Write \`{{ ${d.input} }}\` where the model shall read it.`,
} as const;

export type WarningCode = keyof typeof SENTENCES;
export const WARNING_CODES = Object.keys(SENTENCES) as readonly WarningCode[];

/** Makes the warning of a code, with its sentence. */
export function warning<C extends WarningCode>(code: C, place: Place, details: Parameters<(typeof SENTENCES)[C]>[0]): Warning {
  return { code, place, message: (SENTENCES[code] as (d: typeof details) => string)(details) };
}

const REASON = /\b(why|reasons?|because|evidence|explanation|rationale)\b/i;
const VERBS =
  "decide|judge|choose|select|pick|find|list|sum|summari[sz]e|write|rewrite|translate|extract|take|compare|score|rate|grade|classify|sort|label|tag|describe|explain|identify|determine|count|correct|read|tell|answer|give|name|note|match|check|assess|evaluate|estimate|rank|draft|shorten|turn|convert|detect|mark|assign|suggest|propose|state|say|return|fill|look|put|group|clean|fix|analy[sz]e";
/** A verb where an instruction has it: at the beginning of a sentence, or after `please`, `then`, `must` … */
const INSTRUCTION = new RegExp(`(?:^|[.:;!?\\n]|\\b(?:please|then|and|or|to|must|should))\\s*(?:${VERBS})\\b`, "i");

/** What is known of the model that a template asks. */
export interface KnownModel {
  readonly name: string;
  /** What it takes beyond the plain protocol; `undefined` where nobody said. */
  readonly can?: readonly string[] | undefined;
  /** Most tokens of prompt and answer together. */
  readonly context?: number | undefined;
  /** The longest side of pictures that it takes as they are. */
  readonly longestSide?: number | undefined;
}

/** Warns of what the chosen model cannot do. `countTokens` counts a text as a tokenizer would. */
export function warnModel(
  prepared: Prepared,
  document: SourceDocument,
  model: KnownModel,
  countTokens: (text: string) => number,
): Warning[] {
  const found: Warning[] = [];
  const place = document.at(["model"]);
  if (model.can && !model.can.includes("jsonSchema"))
    found.push({ code: "schemaNotTaken", place, message: SENTENCES.schemaNotTaken({ model: model.name }) });
  if (prepared.template.doubt?.by === "logProbabilities" && !model.can?.includes("logProbabilities"))
    found.push({
      code: "probabilitiesNotGiven",
      place: document.at(["doubt"]),
      message: SENTENCES.probabilitiesNotGiven({ model: model.name }),
    });
  for (const { name, spec, kind } of prepared.inputs) {
    const at = document.atKey(["inputs", name]);
    const { as = "text", longestSide = DEFAULT_LONGEST_SIDE } = spec as DocumentSpec;
    if (kind.source !== "image" && !(kind.source === "document" && as !== "text")) continue;
    if (model.can && !model.can.includes("images")) found.push(warning("imagesNotTaken", at, { model: model.name, input: name }));
    if (model.longestSide !== undefined && longestSide > model.longestSide)
      found.push(warning("largePictures", at, { model: model.name, input: name, sent: longestSide, taken: model.longestSide }));
  }
  if (model.context !== undefined) {
    const tokens = longestPrompt(prepared, countTokens);
    if (tokens > model.context)
      found.push({ code: "overContext", place, message: SENTENCES.overContext({ model: model.name, tokens, context: model.context }) });
  }
  return found;
}

const CHARS_A_TOKEN = 4;
/** What an input without a limit is taken to bring. */
const USUAL_CHARS = 2_000;

/** Tokens of the prompt when every text input is as long as it may be, and of the answer. */
function longestPrompt(prepared: Prepared, countTokens: (text: string) => number): number {
  const empty = prepared.render(Object.fromEntries(prepared.inputs.map(({ name }) => [name, null])));
  const room = prepared.inputs.reduce(
    (sum, { spec, kind }) => sum + (kind.isProse || kind.takesRows ? ((spec as TextSpec).maxChars ?? USUAL_CHARS) : 0),
    0,
  );
  return empty.reduce((sum, message) => sum + countTokens(messageText(message)), 0) + Math.ceil(room / CHARS_A_TOKEN) + prepared.maxTokens;
}

/** Goes through a template that has no mistakes. */
export function warnTemplate(template: Template, document: SourceDocument): Warning[] {
  const found: Warning[] = [];
  const warn = <C extends WarningCode>(code: C, place: Place, details: Parameters<(typeof SENTENCES)[C]>[0]): void => {
    found.push(warning(code, place, details));
  };
  for (const [name, spec] of Object.entries(template.inputs)) {
    const { source } = kindOf(spec.kind);
    if ((source === "document" || source === "page") && (spec as DocumentSpec).maxChars === undefined)
      warn("endlessSource", document.atKey(["inputs", name]), { input: name });
  }
  const words = template.task.replace(/\{\{.*?\}\}|\{%.*?%\}/g, " ");
  // Verbs are known for English only; a task in another script is taken at its word.
  if (/^[\p{ASCII}\p{P}\s]*$/u.test(words) && !words.includes("?") && !INSTRUCTION.test(words))
    warn("noInstruction", document.at(["task"]), undefined as never);
  const printed = new Set(["role", "task"].flatMap((key) => [...(parseText(template[key as "role" | "task"] ?? "").text?.printed ?? [])]));
  for (const input of Object.keys(template.inputs))
    if (!printed.has(input) && !isLookedUpBy(template, input)) warn("unprintedInput", document.atKey(["inputs", input]), { input });

  const parts = Object.entries(template.answer);
  parts.forEach(([name, spec], index) => {
    warnSpec(name, spec, ["answer", name]);
    const verdict = parts.slice(0, index).find(([, before]) => kindOf(before.kind).settles === "judgement");
    if (verdict && kindOf(spec.kind).isProse && REASON.test(`${name} ${spec.about ?? ""}`))
      warn("verdictFirst", document.atKey(["answer", name]), { reason: name, verdict: verdict[0] });
  });
  return found;

  function warnSpec(name: string, spec: AnySpec, path: readonly string[]): void {
    for (const { code, key, ...details } of kindOf(spec.kind).weaknesses?.(spec) ?? []) {
      const place = key === undefined ? document.atKey(path) : document.at([...path, key]);
      // The details of a code are those that its sentence takes.
      warn(code, place, { part: name, ...details } as never);
    }
    for (const inner of specsInside(spec))
      warnSpec(inner.path.at(-1) === "of" ? name : `${name}.${inner.path.at(-1)}`, inner.spec, [...path, ...inner.path]);
  }
}
