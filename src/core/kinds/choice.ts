import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Given, type Kind, type Option, type Weakness } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    choice: OptionName<Spec>;
  }
  interface KindSpecs {
    choice: ChoiceSpec;
  }
}

/** The names of the options that a spec states. */
export type OptionName<Spec> =
  | (Spec extends { readonly options: infer Options }
      ? Options extends readonly (infer Name extends string)[]
        ? Name
        : Options extends { readonly from: string }
          ? string
          : Extract<keyof Options, string>
      : string)
  | (Spec extends { readonly otherwise: infer Other extends string } ? Other : never);

export interface ChoiceSpec extends AnySpec {
  readonly kind: "choice";
  /** A list of names, a map from name to meaning, or `{ from: reference }`. */
  readonly options: readonly string[] | Readonly<Record<string, string>> | { readonly from: string };
  /** The option for what fits none of the others. */
  readonly otherwise?: string | undefined;
  /** The options as a reference gave them; set when the template is prepared, never written by a person. */
  readonly resolved?: readonly Option[] | undefined;
}

const name = z.string().check(z.trim()).check(z.minLength(1, "An option must not be empty"));
export const choiceOptions = z.union([
  z.array(z.union([name, z.pipe(z.number(), z.transform(String))])).check(z.minLength(1, "A choice needs at least one option")),
  z.record(
    name,
    z.union([
      z.string(),
      z.pipe(
        z.null(),
        z.transform(() => ""),
      ),
    ]),
  ),
]);

export const choice: Kind<ChoiceSpec, string> = {
  kind: "choice",
  summary: "Exactly one of the stated options.",
  keys: { options: z.optional(choiceOptions), otherwise: z.optional(name) },
  faults: choiceFaults,
  value: (spec) => {
    const names = optionsOf(spec).map((option) => option.name);
    return z.enum(names as [string, ...string[]], {
      error: () =>
        `must be one of: ${names.length > 12 ? `${names.slice(0, 12).join(", ")}, … (${names.length} options)` : names.join(", ")}`,
    });
  },
  tell: (spec) => {
    return ["exactly one of these options, written as here:", ...tellOptions(spec)].join("\n");
  },
  tidy: (spec, raw) => (typeof raw === "string" || typeof raw === "number" ? (sameOption(spec, String(raw)) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const option = sameOption(spec, cell);
    return option === undefined ? misfit("is none of the options") : fits(option);
  },
  toCell: (_spec, value) => value,
  typescript: tellType,
  control: "oneOf",
  measures: ["classes"],
  settles: "judgement",
  saysNothing: ({ otherwise }, value) => value === otherwise,
  options: optionsOf,
  meanings: optionsOf,
  weaknesses: choiceWeaknesses,
  resolve: resolveOptions,
};

/** The reference that the options are read from, where they are. */
export function optionsFrom({ options }: Pick<ChoiceSpec, "options">): string | undefined {
  if (!options || Array.isArray(options)) return undefined;
  const keys = Object.keys(options);
  return keys.length === 1 && keys[0] === "from" ? (options as { from: string }).from : undefined;
}

/** The same spec with its options as the reference has them. */
export function resolveOptions<Spec extends Pick<ChoiceSpec, "options">>(spec: Spec, { options }: Given): Spec {
  const from = optionsFrom(spec);
  return from === undefined ? spec : { ...spec, resolved: options(from) };
}

/** Options without a meaning, and those that are easily taken for each other. */
export function choiceWeaknesses(spec: ChoiceSpec): Weakness[] {
  if (optionsFrom(spec) !== undefined) return [];
  const options = optionsOf(spec).filter((option) => option.name !== spec.otherwise);
  const bare = options.filter((option) => !option.about).map((option) => option.name);
  const overlapping = options.flatMap((one, index): Weakness[] => {
    const other = options.slice(index + 1).find((candidate) => oneInsideOther(one.name, candidate.name));
    return other ? [{ code: "overlappingOptions", one: one.name, other: other.name, key: "options" }] : [];
  });
  return [...(bare.length > 0 ? [{ code: "bareOptions" as const, options: bare, key: "options" }] : []), ...overlapping];
}

/** Whether all words of one name stand in the other. */
function oneInsideOther(a: string, b: string): boolean {
  const wordsOf = (text: string): string[] => text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
  const [shorter = [], longer = []] = [wordsOf(a), wordsOf(b)].sort((x, y) => x.length - y.length);
  return shorter.length > 0 && shorter.every((word) => longer.includes(word));
}

/** The options as a union; no type at all is of use beyond this many. */
const MOST_TYPED_OPTIONS = 200;

export function tellType(spec: ChoiceSpec): string {
  const names = optionsOf(spec).map((option) => JSON.stringify(option.name));
  return names.length > MOST_TYPED_OPTIONS ? "string" : names.join(" | ");
}

/** What is wrong with the options; `noOptions` where there are none. */
export function choiceFaults(spec: ChoiceSpec): string[] {
  if (spec.options === undefined) return ["noOptions"];
  const seen = new Map<string, string>();
  const faults: string[] = [];
  for (const { name: option } of optionsOf(spec)) {
    const twin = seen.get(fold(option));
    if (twin !== undefined) faults.push(`The options \`${twin}\` and \`${option}\` differ only in case or spacing. Keep one.`);
    seen.set(fold(option), option);
  }
  return faults;
}

/** A line for each option with its meaning. */
export function tellOptions(spec: ChoiceSpec): string[] {
  return optionsOf(spec).map(({ name: option, about }) => `  - ${JSON.stringify(option)}${about ? `: ${about}` : ""}`);
}

const OTHERWISE = "fits none of the others";
const optionCache = new WeakMap<ChoiceSpec, readonly Option[]>();

/** All options of a choice, `otherwise` last, each with its meaning where one is known. */
export function optionsOf(spec: ChoiceSpec): readonly Option[] {
  const cached = optionCache.get(spec);
  if (cached) return cached;
  const stated: Option[] = spec.resolved
    ? [...spec.resolved]
    : Array.isArray(spec.options)
      ? spec.options.map((option) => ({ name: String(option) }))
      : "from" in spec.options && Object.keys(spec.options).length === 1
        ? []
        : Object.entries(spec.options as Record<string, string>).map(([option, about]) => ({ name: option, about }));
  const { otherwise } = spec;
  const all =
    otherwise !== undefined && !stated.some((option) => option.name === otherwise)
      ? [...stated, { name: otherwise, about: OTHERWISE }]
      : stated;
  optionCache.set(spec, all);
  return all;
}

const foldCache = new WeakMap<ChoiceSpec, Map<string, string | undefined>>();

/** The one option that a text names, whatever its case, quotes, spacing or closing stop; never a near miss. */
export function sameOption(spec: ChoiceSpec, text: string): string | undefined {
  let folded = foldCache.get(spec);
  if (!folded) {
    folded = new Map();
    for (const { name: option } of optionsOf(spec)) folded.set(fold(option), folded.has(fold(option)) ? undefined : option);
    foldCache.set(spec, folded);
  }
  return optionsOf(spec).find((option) => option.name === text)?.name ?? folded.get(fold(text));
}

function fold(text: string): string {
  return text
    .normalize("NFKC")
    .trim()
    .replace(/^["'`*\u201c\u2018]+|["'`*\u201d\u2019.]+$/g, "")
    .toLowerCase()
    .replace(/[\s_-]+/g, " ")
    .trim();
}
