import * as z from "zod";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    yesNo: boolean;
  }
}

export interface YesNoSpec extends AnySpec {
  readonly kind: "yesNo";
}

const WORDS = new Map([["yes", true], ["true", true], ["y", true], ["1", true], ["no", false], ["false", false], ["n", false], ["0", false]]);
const wordOf = (word: string): boolean | undefined => WORDS.get(word.trim().toLowerCase().replace(/[.!]$/, ""));

export const yesNo: Kind<YesNoSpec, boolean> = {
  kind: "yesNo",
  summary: "Yes or no.",
  keys: {},
  value: () => z.boolean("must be true or false"),
  tell: () => "true (yes) or false (no)",
  tidy: (_spec, raw) => (typeof raw === "string" ? (wordOf(raw) ?? raw) : raw),
  fromCell: (_spec, cell) => {
    const value = wordOf(cell);
    return value === undefined ? misfit("is neither yes nor no") : fits(value);
  },
  toCell: (_spec, value) => (value ? "yes" : "no"),
};
