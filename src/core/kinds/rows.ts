import * as z from "zod/mini";
import type { Json } from "../ground/index.js";
import { fits, misfit, type AnySpec, type Kind, type KindLookup } from "./kind.js";
import type { ValueOf } from "./value-of.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    rows: Spec extends { readonly columns: infer Columns }
      ? {
          -readonly [Name in keyof Columns]:
            (Columns[Name] extends string ? ValueOf<{ kind: Columns[Name] }> : ValueOf<Columns[Name]>) | null;
        }[]
      : never;
  }
  interface KindSpecs {
    rows: RowsSpec;
  }
}

export interface RowsSpec extends AnySpec {
  readonly kind: "rows";
  /** The columns of each row: a kind's name, or a whole spec. */
  readonly columns: Readonly<Record<string, string | AnySpec>>;
}

type RowValue = { [column: string]: Json };

/** A column's spec, also where only its kind is named. */
export function columnSpec(column: string | AnySpec): AnySpec {
  return typeof column === "string" ? { kind: column } : column;
}

export const rows: Kind<RowsSpec, RowValue[]> = {
  kind: "rows",
  summary: "Rows of another table that belong to this one, such as the messages of a thread. As an input only.",
  keys: { columns: z.record(z.string(), z.union([z.string(), z.looseObject({ kind: z.string() })])) },
  inputOnly: true,
  takesRows: true,
  control: "area",
  faults: (spec) => (Object.keys(spec.columns).length === 0 ? ["Rows need columns: `columns: { at: date, said: text }`."] : []),
  value: (spec, kinds) => {
    const columns = Object.entries(spec.columns).map(
      ([name, column]) => [name, z.nullable(kinds(columnSpec(column).kind).value(columnSpec(column), kinds))] as const,
    );
    // Its columns are known when it runs, not when it is compiled.
    return z.array(
      z.strictObject(Object.fromEntries(columns), "must be a row with its columns"),
      "must be a list of rows",
    ) as unknown as z.ZodMiniType<RowValue[]>;
  },
  tell: () => "rows",
  // Rows stand in a cell as a JSON list of objects; a blank or missing member is null.
  fromCell: (spec, cell, kinds) => {
    const found = parsed(cell);
    if (!Array.isArray(found)) return misfit("is not a list of rows in JSON");
    const values: RowValue[] = [];
    for (const [index, row] of found.entries()) {
      const reading = readRow(spec, row, kinds);
      if (typeof reading === "string") return misfit(`has a row ${index + 1} ${reading}`);
      values.push(reading);
    }
    return fits(values);
  },
  toCell: (_spec, value) => JSON.stringify(value),
  typescript: (spec, kinds) =>
    `{ ${Object.entries(spec.columns)
      .map(([name, column]) => `${name}: ${kinds(columnSpec(column).kind).typescript(columnSpec(column), kinds)} | null`)
      .join("; ")} }[]`,
};

function readRow(spec: RowsSpec, row: unknown, kinds: KindLookup): RowValue | string {
  if (row === null || typeof row !== "object" || Array.isArray(row)) return "that is not an object";
  const value: RowValue = {};
  for (const [name, column] of Object.entries(spec.columns)) {
    const cell = (row as Record<string, unknown>)[name];
    const text = cell === null || cell === undefined ? "" : typeof cell === "object" ? JSON.stringify(cell) : String(cell);
    if (text.trim() === "") {
      value[name] = null;
      continue;
    }
    const inner = columnSpec(column);
    const reading = kinds(inner.kind).fromCell(inner, text, kinds);
    if (!reading.ok) return `whose \`${name}\` ${reading.problem}`;
    value[name] = reading.value;
  }
  return value;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
