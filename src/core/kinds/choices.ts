import * as z from "zod/mini";
import { canonicalJson } from "../ground/index.js";
import {
  choiceFaults,
  choiceOptions,
  choiceWeaknesses,
  optionsOf,
  resolveOptions,
  sameOption,
  tellOptions,
  tellType,
  type ChoiceSpec,
  type OptionName,
} from "./choice.js";
import { countBounds, countFaults, tellCount, type Count } from "./count.js";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    choices: OptionName<Spec>[];
  }
  interface KindSpecs {
    choices: ChoicesSpec;
  }
}

export interface ChoicesSpec extends AnySpec, Count, Pick<ChoiceSpec, "options" | "otherwise" | "resolved"> {
  readonly kind: "choices";
  /** Stands between the options in a cell. Default `; `. */
  readonly separator?: string | undefined;
}

// What the two do with options is the same; they differ in `kind` and in what a blank answer is.
const asChoice = (spec: ChoicesSpec): ChoiceSpec => spec as unknown as ChoiceSpec;
const separatorOf = (spec: ChoicesSpec): string => spec.separator ?? "; ";

export const choices: Kind<ChoicesSpec, string[]> = {
  kind: "choices",
  summary: "Any number of the stated options, each at most once.",
  keys: {
    options: z.optional(choiceOptions),
    otherwise: z.optional(z.string().check(z.trim()).check(z.minLength(1))),
    separator: z.optional(z.string().check(z.regex(/\S|\n/, "A separator needs a character that is not a space."))),
    exactly: z.optional(z.int().check(z.gte(0))),
    atLeast: z.optional(z.int().check(z.gte(0))),
    atMost: z.optional(z.int().check(z.gte(1))),
  },
  faults: (spec) => {
    const separator = separatorOf(spec).trim();
    const torn = spec.options === undefined ? [] : optionsOf(asChoice(spec)).filter(({ name }) => name.includes(separator));
    return [
      ...choiceFaults(asChoice(spec)),
      ...countFaults(spec),
      ...torn.map(({ name }) => `The option \`${name}\` contains the separator \`${separator}\`. Choose another separator.`),
    ];
  },
  value: (spec) => {
    const names = optionsOf(asChoice(spec)).map((option) => option.name);
    const { from, to } = countBounds(spec);
    let schema = z.array(
      z.enum(names as [string, ...string[]], {
        error: () =>
          `must hold nothing but: ${names.length > 12 ? `${names.slice(0, 12).join(", ")}, … (${names.length} options)` : names.join(", ")}`,
      }),
      "must be a list of options",
    );
    if (from > 0) schema = schema.check(z.minLength(from, `must have at least ${from} options`));
    if (to !== undefined) schema = schema.check(z.maxLength(to, `must have at most ${to} options`));
    return schema.check(z.refine((items) => new Set(items).size === items.length, "must not name an option twice"));
  },
  tell: (spec) =>
    [`a list ${tellCount(spec, "options")} taken from these, each at most once, written as here:`, ...tellOptions(asChoice(spec))].join(
      "\n",
    ),
  tidy: (spec, raw) => {
    const items = typeof raw === "string" ? parts(spec, raw) : raw;
    if (!Array.isArray(items)) return items;
    return [...new Set(items.map((item) => (typeof item === "string" ? (sameOption(asChoice(spec), item) ?? item) : (item as unknown))))];
  },
  fromCell: (spec, cell) => {
    const options: string[] = [];
    for (const part of parts(spec, cell)) {
      const option = sameOption(asChoice(spec), part);
      if (option === undefined) return misfit("has a part that is none of the options");
      if (!options.includes(option)) options.push(option);
    }
    return fits(options);
  },
  toCell: (spec, value) => value.join(separatorOf(spec)),
  typescript: (spec) => `(${tellType(asChoice(spec))})[]`,
  control: "someOf",
  measures: ["sets"],
  settles: "judgement",
  saysNothing: (_spec, value) => value.length === 0,
  // Which options were chosen counts, not in which order they were named.
  same: (truth, answer) => canonicalJson(truth.toSorted()) === canonicalJson(answer.toSorted()),
  options: (spec) => optionsOf(asChoice(spec)),
  meanings: (spec) => optionsOf(asChoice(spec)),
  item: () => ({ kind: "text" }),
  weaknesses: (spec) => choiceWeaknesses(asChoice(spec)),
  resolve: resolveOptions,
};

/** The whole text when it is one option, else what stands between separators or line ends. */
function parts(spec: ChoicesSpec, text: string): string[] {
  if (sameOption(asChoice(spec), text) !== undefined) return [text];
  const separator = separatorOf(spec).trim() || "\n";
  return text
    .split(text.includes(separator) ? separator : /[,;\n]/)
    .map((part) => part.trim())
    .filter((part) => part !== "");
}
