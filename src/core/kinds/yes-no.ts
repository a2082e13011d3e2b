import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    yesNo: boolean;
  }
  interface KindSpecs {
    yesNo: YesNoSpec;
  }
}

export interface YesNoSpec extends AnySpec {
  readonly kind: "yesNo";
  /** Own words for the two, in cells and for the model: `yes: act`, `no: leave`. */
  readonly yes?: string | undefined;
  readonly no?: string | undefined;
}

const WORDS = new Map([
  ["yes", true],
  ["true", true],
  ["y", true],
  ["1", true],
  ["no", false],
  ["false", false],
  ["n", false],
  ["0", false],
]);

function wordOf({ yes, no }: YesNoSpec, text: string): boolean | undefined {
  const word = text.trim().toLowerCase().replace(/[.!]$/, "");
  if (yes !== undefined && word === yes.toLowerCase()) return true;
  if (no !== undefined && word === no.toLowerCase()) return false;
  return WORDS.get(word);
}

const own = z.optional(z.string().check(z.trim()).check(z.minLength(1)));

export const yesNo: Kind<YesNoSpec, boolean> = {
  kind: "yesNo",
  summary: "Yes or no.",
  keys: { yes: own, no: own },
  faults: ({ yes, no }) => (yes !== undefined && yes.toLowerCase() === no?.toLowerCase() ? ["`yes` and `no` have the same word."] : []),
  value: () => z.boolean("must be true or false"),
  tell: ({ yes = "yes", no = "no" }) => `true (${yes}) or false (${no})`,
  tidy: (spec, raw) => (typeof raw === "string" ? (wordOf(spec, raw) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const value = wordOf(spec, cell);
    return value === undefined ? misfit("is neither yes nor no") : fits(value);
  },
  toCell: ({ yes = "yes", no = "no" }, value) => (value ? yes : no),
  // Own words are text.
  cellType: ({ yes, no }) => (yes === undefined && no === undefined ? "yesNo" : "text"),
  typescript: () => "boolean",
  control: "yesNo",
  measures: ["classes"],
  settles: "judgement",
  saysNothing: (_spec, value) => !value,
  isGood: (_spec, value) => value,
};
