import { strayNumbers } from "./numbers-from.js";
import { joinWords, pattern, patternProblem, readExpression, wordPattern, type Json } from "../ground/index.js";

/** A rule that an answer must keep, beyond its kinds. One of `forbid`, `require`, `pattern`, `check` or `numbersFrom`. */
export interface Rule {
  /** Words that must not occur. */
  readonly forbid?: readonly string[] | undefined;
  /** Words that must all occur. */
  readonly require?: readonly string[] | undefined;
  /** A regular expression that the text must match. */
  readonly pattern?: string | undefined;
  /** CEL over `answer`, which must hold: `answer.act || size(answer.steps) == 0`. */
  readonly check?: string | undefined;
  /** Every number in the text must stand in these inputs, or in any of them: `inputs`. See `strayNumbers`. */
  readonly numbersFrom?: readonly string[] | "inputs" | undefined;
  /** The parts that the words, the pattern or the numbers are about; every part when not given. */
  readonly in?: readonly string[] | undefined;
  /** The rule in words, for the model and for messages. Needed for `pattern` and `check`. */
  readonly say?: string | undefined;
}

/** What is wrong with a rule by itself, or `undefined`. */
export function ruleFault(rule: Rule): string | undefined {
  const kinds = [rule.forbid, rule.require, rule.pattern, rule.check, rule.numbersFrom].filter((part) => part !== undefined);
  if (kinds.length !== 1) return "A rule has exactly one of `forbid`, `require`, `pattern`, `check` and `numbersFrom`.";
  if ((rule.pattern !== undefined || rule.check !== undefined) && !rule.say)
    return "Say in words what the rule wants: `say: …`. The model is told, and so is whoever reads why an answer failed.";
  const problem = rule.pattern === undefined ? undefined : patternProblem(rule.pattern);
  if (problem) return `\`${rule.pattern}\` cannot be used as a pattern: ${problem}.`;
  if (rule.check !== undefined) {
    const { problem } = readExpression(rule.check, "answer");
    if (problem) return `This rule cannot be read as CEL over \`answer\`: ${problem}.`;
  }
  return undefined;
}

/** The rule as the model is told. */
export function tellRule(rule: Rule): string {
  const where = rule.in ? ` in ${joinWords(rule.in.map((part) => `"${part}"`))}` : "";
  if (rule.say) return rule.say.replace(/([^.!?])$/, "$1.");
  if (rule.forbid)
    return `Never use ${joinWords(
      rule.forbid.map((word) => `"${word}"`),
      "or",
    )}${where}.`;
  if (rule.numbersFrom) return `Use no number${where} that does not stand in the data.`;
  return `Use ${joinWords((rule.require ?? []).map((word) => `"${word}"`))}${where}.`;
}

/** Makes the check of all rules: what an answer breaks, in words that a model can act on. */
export function rulesCheck(rules: readonly Rule[]): RulesCheck<string[]> {
  const checks = rules.map(checkOf);
  return (parts, inputs) => checks.flatMap((check) => check(parts, inputs) ?? []);
}

type Values = Readonly<Record<string, Json>>;
type RulesCheck<T> = (parts: Values, inputs: Values) => T;

function checkOf(rule: Rule): RulesCheck<string | undefined> {
  const told = tellRule(rule);
  const { numbersFrom } = rule;
  if (numbersFrom !== undefined) {
    return (parts, inputs) => {
      const data = Object.entries(inputs).flatMap(([name, value]) =>
        numbersFrom === "inputs" || numbersFrom.includes(name) ? [value] : [],
      );
      const stray = (rule.in ?? Object.keys(parts)).flatMap((name) =>
        strayNumbers(textOf(parts[name] ?? ""), data).map((number) => `"${name}" has the number ${number}`),
      );
      return stray.length > 0 ? `${joinWords(stray)}, which the data does not have. Rule: ${told}` : undefined;
    };
  }
  if (rule.check !== undefined) {
    const { expression } = readExpression(rule.check, "answer");
    return (parts) => {
      const holds = expression!.test(parts);
      if (holds === true) return undefined;
      return holds === false ? `it breaks a rule: ${told}` : `a rule about it ${holds.reason}`;
    };
  }
  const test = textTest(rule);
  return (parts) => {
    const names = rule.in ?? Object.keys(parts);
    const broken = names.filter((name) => parts[name] !== undefined && !test(textOf(parts[name]!)));
    // Words that are wanted without a part being named may stand in any part.
    const fails =
      rule.in || rule.forbid || rule.pattern ? broken.length > 0 : !test(names.map((name) => textOf(parts[name] ?? "")).join("\n"));
    return fails
      ? `${rule.in || rule.forbid || rule.pattern ? joinWords(broken.map((name) => `"${name}"`)) : "the answer"} breaks a rule: ${told}`
      : undefined;
  };
}

function textTest(rule: Rule): (text: string) => boolean {
  if (rule.pattern !== undefined) {
    const own = pattern(rule.pattern);
    return (text) => own.test(text);
  }
  const words = (rule.forbid ?? rule.require ?? []).map((word) => wordPattern(word));
  return rule.forbid ? (text) => !words.some((word) => word.test(text)) : (text) => words.every((word) => word.test(text));
}

function textOf(value: Json): string {
  if (value === null) return "";
  if (Array.isArray(value)) return value.map(textOf).join("\n");
  return typeof value === "object" ? Object.values(value).map(textOf).join("\n") : String(value);
}
