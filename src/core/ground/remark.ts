import type { Json } from "./canonical.js";
import { groupDigits, joinWords, plural } from "./words.js";

/** A number in a sentence; "…" where rows differ in it. */
type Figure = number | null;
/** A remark inside another one. */
interface Inner {
  readonly code: string;
}
const figure = (value: Figure): string => (value === null ? "…" : groupDigits(value));

/**
 * What is told of answers and cells, by its code: why there is no value, how a value came about, what a person should look at. The code
 * with its details is what is kept and compared; the sentence is made where it is shown.
 */
export const REMARKS = {
  /** Words of a person, of a table or of a host; also what the first versions kept. */
  told: (d: { text: string }) => d.text,

  // Why an answer was not asked for, or did not come.
  inputBlank: (d: { input: string }) => `${d.input} is blank`,
  inputMissing: (d: { input: string }) => `${d.input} is missing`,
  inputUnfit: (d: { input: string; problem: string }) => `${d.input} ${d.problem}`,
  inputLong: (d: { input: string; chars: number; most: number }) =>
    `${d.input} has ${groupDigits(d.chars)} characters, at most ${groupDigits(d.most)} are allowed`,
  notFetched: (d: { input: string }) => `${d.input} names something that was not read yet`,
  sourceUnread: (d: { input: string; problem: string }) => `${d.input} ${d.problem}`,
  askedBack: (d: { problem: string; readings: readonly string[] }) =>
    `cannot be counted so: ${d.problem}${d.readings.length === 0 ? "" : ` Is this meant: ${d.readings.join("; ")}?`}`,
  refused: (d: { said?: string | undefined }) => (d.said === undefined ? "the model refused" : `the model refused: ${d.said}`),
  filtered: () => "the host's content filter held the answer back",
  cutShort: () => "the answer was cut short: it needs more than the template's maxTokens",
  malformed: (d: { problems: readonly string[] }) => `the answer did not fit, nor did the second try: ${d.problems.join("; ")}`,
  modelFailed: (d: { problem: string }) => d.problem,

  // How a reply was read, and what else was asked.
  fenced: () => "fenced",
  surrounded: () => "surrounded",
  repaired: () => "repaired",
  bareValue: () => "bare value",
  tidied: (d: { part: string }) => `tidied ${d.part}`,
  mended: () => "mended",
  askedWith: (d: { rows: number }) => `asked with ${plural(d.rows, "other row")}`,
  askedAlone: (d: { rows: number }) => `asked alone, since a request about ${plural(d.rows, "row")} left it open`,
  condensed: (d: { input: string; from: Figure; to: Figure; pieces: number }) =>
    `${d.input} condensed from ${figure(d.from)} to ${figure(d.to)} characters in ${plural(d.pieces, "piece")}`,
  noLogProbabilities: () => "the host gave no log probabilities",
  unfounded: (d: { parts: readonly string[] }) => `${d.parts.join(", ")}: blank, for the words given as evidence do not stand in the row`,
  inDoubt: (d: { asked: string }) => `in doubt, so ${d.asked} was asked`,
  lookedUnread: () => "the second look could not be read",
  lookedAgreed: () => "the second look agreed",
  lookedChanged: (d: { parts: readonly string[] }) => `the second look changed ${d.parts.join(", ")}`,

  // Why a cell has no value, or an old one.
  rowUnfit: (d: { problem: string }) => d.problem,
  conditionFails: () => "the condition does not hold",
  conditionFailsNow: () => "the condition no longer holds",
  conditionUnclear: (d: { problem: string }) => d.problem,
  ruleUnclear: (d: { rule: number; problem: string }) => `rule ${d.rule}: ${d.problem}`,
  columnUnclear: (d: { problem: string }) => d.problem,
  stepBlank: (d: { column: string }) => `\`${d.column}\` of an earlier step is blank`,
  changed: () => "the template, an input or the model has changed",
  /** `pieces`: `template`, `model`, `input note` … of the basis; versions where the template's number has changed, too. */
  changedIn: (d: { pieces: readonly string[]; before?: number | undefined; after?: number | undefined }) => {
    const told = d.pieces.map((piece) => {
      const [kind, ...name] = piece.split(" ");
      return name.length > 0 && (kind === "input" || kind === "reference") ? `the ${kind} \`${name.join(" ")}\`` : `the ${piece}`;
    });
    const since = d.before === undefined || d.after === undefined ? "" : ` (version ${d.before} then, ${d.after} now)`;
    return `${joinWords(told)} ${told.length === 1 ? "has" : "have"} changed${since}`;
  },
  notRenewed: (d: { because: Inner }) => `not renewed: ${sentenceOf(d.because)}`,
  /** `rules`: names of the plan's rules, or of our own. */
  held: (d: { rules: readonly string[] }) => `held for a decision: ${d.rules.map(ruleTold).join(", ")}`,
  waitsFor: (d: { column: string }) => `waits for a decision on \`${d.column}\``,
  frozen: () => "the row is frozen",
  rejected: (d: { reason?: string | undefined }) => (d.reason ? `rejected: ${d.reason}` : "rejected"),
  overdueBlank: (d: { days: number }) => `left blank, since nobody decided in ${plural(d.days, "day")}`,
  filledFirst: () => "filled for the first time",
  answeredAgain: () => "answered again",
  madeAnew: () => "a column that it is made of has changed",
  setByRule: () => "a rule set it",
  editedBy: () => "a person changed it",
  decidedBy: (d: { by: string }) => `decided by ${d.by}`,
  noRule: () => "no rule has come upon the row",
  notYet: () => "not filled yet",
  failed: () => "it failed",
  unknown: () => "no reason was recorded",

  // How a value came about, and what to know of it.
  ruled: (d: { rule: number }) => `settled by rule ${d.rule}`,
  cutAtSentence: (d: { kept: Figure; of: Figure }) => `${figure(d.kept)} of ${figure(d.of)} characters read, at the end of a sentence`,
  endsKept: (d: { kept: Figure; of: Figure }) => `${figure(d.kept)} of ${figure(d.of)} characters read, head and tail kept`,
  relatedLeft: (d: { kept: Figure; of: Figure }) => `only ${figure(d.kept)} of ${figure(d.of)} rows, by its limit`,
  listedLeft: (d: { kept: Figure; of: Figure }) => `only ${figure(d.kept)} of ${figure(d.of)} rows, by its \`most\``,
  overdueAccepted: (d: { days: number }) => `accepted, since nobody decided in ${plural(d.days, "day")}`,
  askedAgain: (d: { says: string }) => `asked again, since a person said: ${d.says}`,
  letStand: (d: { by: string }) => `out of date, left to stand by ${d.by}`,
  setBack: () => "changed by hand, and set back: the column is the machine's",
  oldValue: () => "an old value, since its renewal failed",
  earlierForm: () => "answered by an earlier form of prompts; stands until the row or the template changes, or --refill all is said",
  editedThenChanged: () => "edited, the row has changed since",
  editedUnfit: (d: { problem: string }) => `edited, and does not fit its kind: ${d.problem}`,
  /** Of an input, a column or related rows. */
  about: (d: { name: string; remark: Inner }) => `${d.name}: ${sentenceOf(d.remark)}`,
} as const;

/** Rules of our own in words; those of a plan are told by their names. */
const OWN_RULES: Readonly<Record<string, string>> = {
  askedAgain: "asked again",
  decidedBefore: "a person decided about the row before",
  edited: "a person's value stands",
  release: "not released yet",
  undone: "a decision was taken back",
};

/** A rule's name in words. */
export const ruleTold = (rule: string): string => OWN_RULES[rule] ?? rule;

/** The codes of remarks. */
export type RemarkCode = keyof typeof REMARKS;
type Details<Code extends RemarkCode> = Parameters<(typeof REMARKS)[Code]> extends [infer D] ? D : object;

/** A code with its details: plain data. */
export type Remark = { [Code in RemarkCode]: { readonly code: Code } & Readonly<Details<Code>> }[RemarkCode];

/**
 * A remark of a code.
 *
 * @example
 * ```ts
 * import { remark } from "yoroshi";
 *
 * remark("inputBlank", { input: "note" }); // => { code: "inputBlank", input: "note" }
 * ```
 */
export const remark = <Code extends RemarkCode>(
  code: Code,
  ...[details]: Parameters<(typeof REMARKS)[Code]> extends [infer D] ? [D] : []
): Remark => ({ code, ...(details as object | undefined) }) as Remark;

/**
 * A remark in words. One of a newer version, of which this one knows nothing, is told by its code.
 *
 * @example
 * ```ts
 * import { remark, sentenceOf } from "yoroshi";
 *
 * sentenceOf(remark("inputBlank", { input: "note" })); // => "note is blank"
 * ```
 */
export function sentenceOf(told: Inner): string {
  const say = (REMARKS as Readonly<Record<string, (details: never) => string>>)[told.code] as ((details: Inner) => string) | undefined;
  return say ? say(told) : told.code;
}

/** Whether two remarks say the same. */
export const sameRemark = (a: Remark | undefined, b: Remark | undefined): boolean =>
  a === b || (a !== undefined && b !== undefined && sentenceOf(a) === sentenceOf(b));

const FIGURES: readonly string[] = ["kept", "of", "from", "to"];

/** The remark without the figures in which rows differ. */
export function withoutFigures(told: Remark): Remark {
  if (told.code === "about") return { ...told, remark: withoutFigures(told.remark as Remark) };
  return Object.fromEntries(
    Object.entries(told).map(([name, value]) => [name, FIGURES.includes(name) && typeof value === "number" ? null : value]),
  ) as Remark;
}

/** What the first versions kept as prose, and what is decided by; all else is told as it stands. */
const EARLIER: readonly (readonly [RegExp, (found: RegExpExecArray) => Remark])[] = [
  [/^not renewed: (.*)$/s, ([, because]) => remark("notRenewed", { because: remark("told", { text: because! }) })],
  [/^(.*): an old value, since its renewal failed$/s, ([, name]) => remark("about", { name: name!, remark: remark("oldValue") })],
  [/^mended$/, () => remark("mended")],
  [/^in doubt, so (.*) was asked$/s, ([, asked]) => remark("inDoubt", { asked: asked! })],
  [/^the second look changed (.*)$/s, ([, parts]) => remark("lookedChanged", { parts: parts!.split(", ") })],
  [
    /^(.*) condensed from ([\d,]+) to ([\d,]+) characters in (\d+) pieces?$/s,
    ([, input, from, to, pieces]) =>
      remark("condensed", { input: input!, from: ungrouped(from!), to: ungrouped(to!), pieces: Number(pieces) }),
  ],
];

const ungrouped = (digits: string): number => Number(digits.replaceAll(",", ""));

/** A remark that was kept; the first versions kept sentences. */
export function keptRemark(kept: Json): Remark {
  if (typeof kept !== "string") return kept as Remark & Json;
  for (const [pattern, made] of EARLIER) {
    const found = pattern.exec(kept);
    if (found) return made(found);
  }
  return remark("told", { text: kept });
}
