import * as z from "zod/mini";
import { misfit, fits, type Reading } from "./kind.js";
import { timesRounded } from "../ground/index.js";
import { plainNumber } from "./plain-number.js";

/** An amount as a text states it, before it is converted. */
interface Amount {
  readonly amount: number;
  readonly currency: string;
}

const DEFAULT_DECIMALS = 2;
/** Signs that stand for one currency only; `$` and `¥` stand for several. */
const SIGNS: Readonly<Record<string, string>> = { "€": "EUR", "£": "GBP", "₹": "INR", "₩": "KRW" };

/** What of a number's spec makes it money. */
export interface MoneySpec {
  readonly currency: string;
  readonly perUnit?: Readonly<Record<string, number>> | undefined;
  readonly decimals?: number | undefined;
}

/** The currencies that can be converted: the part's own, and those of the reference. */
function currenciesOf(spec: MoneySpec): string[] {
  return [spec.currency, ...Object.keys(spec.perUnit ?? {}).filter((code) => code !== spec.currency)];
}

/** What a model is asked for: the amount as written, with its currency. It is never asked to convert. */
export function moneySchema(spec: MoneySpec, kept: z.ZodMiniType<number>): z.ZodMiniType<number> {
  const codes = currenciesOf(spec);
  const asked = z.strictObject(
    {
      amount: z.number("must be a number"),
      currency: z.enum(codes as [string, ...string[]], { error: () => `must be a currency with a stated rate: ${codes.join(", ")}` }),
    },
    { error: "must be an object with the amount and its currency" },
  );
  // What a model states is an object; what comes out is a number.
  return z.pipe(
    z.pipe(
      asked,
      z.transform((stated) => converted(spec, stated)),
    ),
    kept as z.ZodMiniType<number, number>,
  ) as unknown as z.ZodMiniType<number>;
}

export function tellMoney(spec: MoneySpec): string {
  return `an object with "amount", the number as the text has it, not converted, and "currency", its code, one of ${currenciesOf(spec).join(", ")}`;
}

/** `USD 1,200.50`, `1200.50 usd`, `€ 99` as the object that is asked for. A bare number states no currency. */
export function tidyMoney(raw: unknown): unknown {
  if (typeof raw === "string") return statedAmount(raw) ?? raw;
  if (raw === null || typeof raw !== "object" || Array.isArray(raw)) return raw;
  const { amount, currency } = raw as { amount?: unknown; currency?: unknown };
  return {
    amount: typeof amount === "string" ? (plainNumber(amount) ?? amount) : amount,
    currency: typeof currency === "string" ? codeOf(currency) : currency,
  };
}

/** A cell's amount in the spec's currency; a bare number is in it already. */
export function readMoney(spec: MoneySpec, cell: string): Reading<number> {
  const bare = plainNumber(cell);
  if (bare !== undefined) return fits(bare);
  const stated = statedAmount(cell);
  if (!stated) return misfit("is not an amount of money with its currency, such as `USD 120.50`");
  return currenciesOf(spec).includes(stated.currency)
    ? fits(converted(spec, stated))
    : misfit(`is in ${stated.currency}, for which there is no rate`);
}

function statedAmount(text: string): Amount | undefined {
  const found = /^(?<before>[A-Za-z]{3}\b|[€£₹₩])?\s*(?<number>[-+−]?[\d.,]+)\s*(?<after>[A-Za-z]{3}|[€£₹₩])?$/u.exec(text.trim())?.groups;
  const code = found && (found["before"] ?? found["after"]);
  const amount = found && plainNumber(found["number"]!);
  return code === undefined || amount === undefined || (found!["before"] && found!["after"])
    ? undefined
    : { amount, currency: codeOf(code) };
}

const codeOf = (stated: string): string => SIGNS[stated.trim()] ?? stated.trim().toUpperCase();

/** Exact decimal product, rounded half away from zero to the spec's decimals. */
function converted(spec: MoneySpec, { amount, currency }: Amount): number {
  const rate = currency === spec.currency ? 1 : (spec.perUnit?.[currency] ?? Number.NaN);
  return timesRounded(amount, rate, spec.decimals ?? DEFAULT_DECIMALS);
}
