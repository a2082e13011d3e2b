import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";
import { moneySchema, readMoney, tellMoney, tidyMoney, type MoneySpec } from "./money.js";
import { plainNumber } from "./plain-number.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    number: number;
  }
  interface KindSpecs {
    number: NumberSpec;
  }
}

export interface NumberSpec extends AnySpec {
  readonly kind: "number";
  readonly from?: number | undefined;
  readonly to?: number | undefined;
  /** Most digits after the point; 0 means a whole number. */
  readonly decimals?: number | undefined;
  /** Told to the model, and dropped where it repeats it: `m`, `kg`, `NZD`. */
  readonly unit?: string | undefined;
  /**
   * ISO 4217 code. The value is money in this currency: the model gives amount and currency as the text has them, and
   * the amount is converted here with the rates of a reference, rounded to `decimals` (default 2).
   */
  readonly currency?: string | undefined;
  /** The reference with a `rate` for each currency: how much of `currency` one unit of it is worth. */
  readonly rates?: string | undefined;
  /** The rates as the reference gave them; set when the template is prepared, never written by a person. */
  readonly perUnit?: Readonly<Record<string, number>> | undefined;
}

export const number: Kind<NumberSpec, number> = {
  kind: "number",
  summary: "A number, with its unit, range and decimals, or an amount of money in one currency.",
  keys: {
    from: z.optional(z.number()),
    to: z.optional(z.number()),
    decimals: z.optional(z.int().check(z.gte(0)).check(z.lte(15))),
    unit: z.optional(z.string().check(z.minLength(1))),
    currency: z.optional(
      z.string().check(z.regex(/^[A-Z]{3}$/, "Expected a currency by its three capital letters (ISO 4217), for example USD.")),
    ),
    rates: z.optional(z.string().check(z.minLength(1))),
  },
  faults: (spec) => [
    ...(spec.from !== undefined && spec.to !== undefined && spec.from > spec.to
      ? [`\`from\` (${spec.from}) is above \`to\` (${spec.to}).`]
      : []),
    ...(spec.rates !== undefined && spec.currency === undefined ? ["`rates` needs the `currency` to convert to."] : []),
    ...(spec.currency !== undefined && spec.unit !== undefined
      ? ["An amount of money has its `currency` as its unit; leave `unit` out."]
      : []),
  ],
  value: (spec) => (isMoney(spec) ? moneySchema(spec, keptSchema(spec)) : keptSchema(spec)),
  kept: keptSchema,
  said: (spec, value) => (isMoney(spec) ? { amount: value, currency: spec.currency } : value),
  tell: (spec) => {
    if (isMoney(spec)) return tellMoney(spec);
    const what = spec.decimals === 0 ? "a whole number" : spec.decimals ? `a number with at most ${spec.decimals} decimals` : "a number";
    return `${what}${range(spec)}${spec.unit ? `, in ${spec.unit}, without the unit` : ""}`;
  },
  tidy: (spec, raw) => (isMoney(spec) ? tidyMoney(raw) : typeof raw === "string" ? (plainNumber(raw, spec.unit) ?? raw) : raw),
  fromCell: (spec, cell) => {
    if (isMoney(spec)) return readMoney(spec, cell);
    const value = plainNumber(cell, spec.unit);
    return value === undefined ? misfit("is not a number") : fits(value);
  },
  toCell: (_spec, value) => String(value),
  cellType: ({ decimals, currency }) =>
    decimals === 0 ? "integer" : decimals !== undefined || currency !== undefined ? "decimal" : "number",
  typescript: () => "number",
  control: "number",
  measures: ["numbers"],
  settles: "fact",
  writtenAs: "numbers",
  resolve: (spec, { rates }) => (spec.rates === undefined ? spec : { ...spec, perUnit: rates(spec.rates) }),
};

const isMoney = (spec: NumberSpec): spec is NumberSpec & MoneySpec => spec.currency !== undefined;

function keptSchema(spec: NumberSpec): z.ZodMiniType<number> {
  let schema = spec.decimals === 0 ? z.int("must be a whole number") : z.number("must be a number");
  if (spec.from !== undefined) schema = schema.check(z.gte(spec.from, `must be at least ${spec.from}`));
  if (spec.to !== undefined) schema = schema.check(z.lte(spec.to, `must be at most ${spec.to}`));
  const { decimals } = spec;
  return decimals
    ? schema.check(z.refine((value) => Number(value.toFixed(decimals)) === value, `must have at most ${decimals} decimals`))
    : schema;
}

function range({ from, to }: { from?: number | undefined; to?: number | undefined }): string {
  if (from !== undefined && to !== undefined) return ` from ${from} to ${to}`;
  if (from !== undefined) return `, at least ${from}`;
  return to !== undefined ? `, at most ${to}` : "";
}
