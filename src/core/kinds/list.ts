import * as z from "zod/mini";
import type { Json } from "../ground/index.js";
import { countBounds, countFaults, tellCount, type Count } from "./count.js";
import { fits, keptSchemaOf, misfit, saidValue, type AnySpec, type Kind } from "./kind.js";
import type { ValueOf } from "./value-of.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    list: (Spec extends { readonly of: infer Of } ? ValueOf<Of> : string)[];
  }
  interface KindSpecs {
    list: ListSpec;
  }
}

export interface ListSpec extends AnySpec, Count {
  readonly kind: "list";
  /** The spec of each item; text when not given. */
  readonly of?: AnySpec | undefined;
}

const count = z.optional(z.int().check(z.gte(0)).check(z.lte(1000)));
const itemOf = (spec: ListSpec): AnySpec => spec.of ?? { kind: "text" };

export const list: Kind<ListSpec, Json[]> = {
  kind: "list",
  summary: "Several values of one kind, in order.",
  keys: { of: z.optional(z.looseObject({ kind: z.string() })), exactly: count, atLeast: count, atMost: count },
  freeText: true,
  faults: countFaults,
  value: (spec, kinds) => listOf(spec, kinds(itemOf(spec).kind).value(itemOf(spec), kinds)),
  kept: (spec, kinds) => listOf(spec, keptSchemaOf(itemOf(spec), kinds)),
  said: (spec, value, kinds) => value.map((item) => saidValue(itemOf(spec), item, kinds)),
  tell: (spec, kinds) =>
    `a list ${tellCount(spec, "items")} each item ${kinds(itemOf(spec).kind).tell(itemOf(spec), kinds)}`.replace(
      /items each/,
      "items, each",
    ),
  tidy: (spec, raw, kinds) => {
    const items = typeof raw === "string" ? bulletItems(raw) : raw;
    const kind = kinds(itemOf(spec).kind);
    return Array.isArray(items) && kind.tidy ? items.map((item) => kind.tidy!(itemOf(spec), item, kinds)) : items;
  },
  fromCell: (spec, cell, kinds) => {
    const kind = kinds(itemOf(spec).kind);
    const values: Json[] = [];
    for (const line of cell.split(/\r?\n/).filter((item) => item.trim() !== "")) {
      const reading = kind.fromCell(itemOf(spec), unescapeItem(line), kinds);
      if (!reading.ok) return misfit(`has an item that ${reading.problem}`);
      values.push(reading.value);
    }
    return fits(values);
  },
  // One item a line, as a person would write it into a cell.
  toCell: (spec, value, kinds) => value.map((item) => escapeItem(kinds(itemOf(spec).kind).toCell(itemOf(spec), item, kinds))).join("\n"),
  typescript: (spec, kinds) => `(${kinds(itemOf(spec).kind).typescript(itemOf(spec), kinds)})[]`,
  control: "lines",
  measures: ["sets"],
  saysNothing: (_spec, value) => value.length === 0,
  item: itemOf,
  usualTokens: ({ exactly, atMost }) => 16 * (exactly ?? atMost ?? 4),
};

function listOf(spec: ListSpec, item: z.ZodMiniType<Json>): z.ZodMiniType<Json[]> {
  const { from, to } = countBounds(spec);
  let schema = z.array(item, "must be a list");
  if (from > 0) schema = schema.check(z.minLength(from, `must have at least ${from} items`));
  return to === undefined ? schema : schema.check(z.maxLength(to, `must have at most ${to} items`));
}

const escapeItem = (item: string): string => item.replace(/\\/g, "\\\\").replace(/\r/g, "\\r").replace(/\n/g, "\\n");
const unescapeItem = (line: string): string =>
  line.replace(/\\([\\nr])/g, (_, code: string) => (code === "n" ? "\n" : code === "r" ? "\r" : "\\"));

/** A text whose every line is a bullet is a list that was written as text; any other text stays one. */
function bulletItems(textValue: string): string[] | string {
  const lines = textValue
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter((line) => line !== "");
  const items = lines.map((line) => /^(?:[-*\u2022]|\d+[.)])\s+(.*)$/.exec(line)?.[1]);
  return lines.length > 0 && items.every((item) => item !== undefined) ? (items as string[]) : textValue;
}
