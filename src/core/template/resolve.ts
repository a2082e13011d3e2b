import { YoroshiError } from "../ground/index.js";
import { kindOf, mapLeaves, type AnySpec, type DateSpec, type Given } from "../kinds/index.js";
import type { RunValues } from "./run-values.js";
import type { ReferenceRow, ReferenceSpec } from "./template.js";

/** Rows of the references that a template names. */
export type References = Readonly<Record<string, readonly ReferenceRow[]>>;

/** The rows of a reference that stands in the template itself; `undefined` for one that is read from elsewhere. */
export function inlineReference(spec: ReferenceSpec): ReferenceRow[] | undefined {
  if (!("entries" in spec)) return undefined;
  if (Array.isArray(spec.entries)) return (spec.entries as readonly string[]).map((name) => ({ name }));
  return Object.entries(spec.entries as Readonly<Record<string, string | number>>).map(([name, told]) =>
    typeof told === "number" ? { name, rate: told } : { name, about: told },
  );
}

/** A spec with what it names at hand: options and rates of references, the run's day. */
export function resolveSpec(spec: AnySpec, references: References, run: RunValues | undefined, template: string): AnySpec {
  const given: Given = {
    options: (name) => rowsOf(references, name, template),
    rates: (name) => ratesOf(references, name, template),
    today: () => dayOf(run, template),
  };
  return mapLeaves(spec, (leaf) => kindOf(leaf.kind).resolve?.(leaf, given) ?? leaf);
}

/**
 * A spec whose dates are counted from an input (the last row of one with rows), with that input's day; the same spec where there are none.
 */
export function datedSpec(spec: AnySpec, inputs: Readonly<Record<string, unknown>>): AnySpec {
  return mapLeaves(spec, (leaf) => {
    const { relativeTo } = leaf as DateSpec;
    const base = relativeTo === undefined ? undefined : baseOf(relativeTo, inputs);
    return typeof base === "string" ? ({ ...leaf, base } as AnySpec) : leaf;
  });
}

/** The day of an input, or of the last row of an input with rows: `written`, `thread.at`. */
function baseOf(relativeTo: string, inputs: Readonly<Record<string, unknown>>): unknown {
  const [input = "", column] = relativeTo.split(".");
  const value = inputs[input];
  return column === undefined ? value : Array.isArray(value) ? (value.at(-1) as Record<string, unknown> | undefined)?.[column] : undefined;
}

function rowsOf(references: References, name: string, template: string): readonly ReferenceRow[] {
  const rows = references[name] ?? [];
  if (rows.length === 0)
    throw new YoroshiError("misuse", {
      problem: `The reference \`${name}\` of the template ${template} has no rows, so there is nothing to choose from.`,
    });
  return rows;
}

function ratesOf(references: References, name: string, template: string): Record<string, number> {
  const rates = Object.fromEntries(
    rowsOf(references, name, template).flatMap((row) =>
      typeof row.rate === "number" && row.rate > 0 ? [[row.name.toUpperCase(), row.rate]] : [],
    ),
  );
  if (Object.keys(rates).length === 0)
    throw new YoroshiError("misuse", {
      problem: `The reference \`${name}\` of the template ${template} has no rates. Say which column holds them: \`columns: { name: currency, rate: worth }\`.`,
    });
  return rates;
}

function dayOf(run: RunValues | undefined, template: string): string {
  if (!run) throw new YoroshiError("misuse", { problem: `The template ${template} counts dates from today; give the run's values.` });
  return run.today;
}
