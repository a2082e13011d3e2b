import * as z from "zod";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    number: number;
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
}

export const number: Kind<NumberSpec, number> = {
  kind: "number",
  summary: "A number, with its unit, range and decimals.",
  keys: { from: z.number().optional(), to: z.number().optional(), decimals: z.int().min(0).max(15).optional(), unit: z.string().min(1).optional() },
  faults: (spec) => (spec.from !== undefined && spec.to !== undefined && spec.from > spec.to ? [`\`from\` (${spec.from}) is above \`to\` (${spec.to}).`] : []),
  value: (spec) => {
    let schema = spec.decimals === 0 ? z.int("must be a whole number") : z.number("must be a number");
    if (spec.from !== undefined) schema = schema.min(spec.from, `must be at least ${spec.from}`);
    if (spec.to !== undefined) schema = schema.max(spec.to, `must be at most ${spec.to}`);
    const { decimals } = spec;
    return decimals ? schema.refine((value) => Number(value.toFixed(decimals)) === value, `must have at most ${decimals} decimals`) : schema;
  },
  tell: (spec) => {
    const what = spec.decimals === 0 ? "a whole number" : spec.decimals ? `a number with at most ${spec.decimals} decimals` : "a number";
    return `${what}${range(spec)}${spec.unit ? `, in ${spec.unit}, without the unit` : ""}`;
  },
  tidy: (spec, raw) => (typeof raw === "string" ? (plainNumber(raw, spec.unit) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const value = plainNumber(cell, spec.unit);
    return value === undefined ? misfit("is not a number") : fits(value);
  },
  toCell: (_spec, value) => String(value),
};

function range({ from, to }: { from?: number | undefined; to?: number | undefined }): string {
  if (from !== undefined && to !== undefined) return ` from ${from} to ${to}`;
  if (from !== undefined) return `, at least ${from}`;
  return to !== undefined ? `, at most ${to}` : "";
}

/** Reads `12`, `-3.5`, `1,200`, `4 kg`; `undefined` for anything that could be meant in two ways. */
export function plainNumber(text: string, unit?: string): number | undefined {
  let bare = text.trim().replace(/\u2212/g, "-");
  if (unit && bare.toLowerCase().endsWith(unit.toLowerCase())) bare = bare.slice(0, -unit.length).trim();
  if (/^[+-]?\d{1,3}(,\d{3})+(\.\d+)?$/.test(bare)) bare = bare.replaceAll(",", "");
  return /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(bare) && Number.isFinite(Number(bare)) ? Number(bare) : undefined;
}
