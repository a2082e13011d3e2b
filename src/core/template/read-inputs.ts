import { countChars, groupDigits, type Json } from "../ground/index.js";
import type { Prepared } from "./prepare.js";
import type { InputSpec } from "./template.js";

/** A row's typed inputs, or the reason why the row cannot be asked. */
export type InputReading =
  | { readonly state: "ready"; readonly inputs: Readonly<Record<string, Json>> }
  | { readonly state: "missing" | "unfit"; readonly reason: string };

function isMissing({ template }: Prepared, cell: string): boolean {
  const word = cell.trim().toLowerCase();
  return word === "" || (template.missingWords?.some((missing) => missing.toLowerCase() === word) ?? false);
}

/**
 * Turns cells of a row into a template's typed inputs. A missing required input declines the row (unless the template
 * says otherwise), an input outside its kind or above its limit makes it unfit. Reasons never quote the cell.
 */
export function readInputs(prepared: Prepared, cells: Readonly<Record<string, string | null | undefined>>): InputReading {
  const inputs: Record<string, Json> = {};
  for (const input of prepared.inputs) {
    const cell = cells[input.name];
    if (cell === null || cell === undefined || isMissing(prepared, cell)) {
      const spec = input.spec as InputSpec;
      const way = prepared.template.whenMissing?.[input.name] ?? (spec.required === false ? "proceed" : "decline");
      if (way === "decline") return { state: "missing", reason: `${input.name} is ${cell?.trim() ? "missing" : "blank"}` };
      if (typeof way === "object" && "decline" in way) return { state: "missing", reason: way.decline };
      inputs[input.name] = typeof way === "object" ? way.use : null;
      continue;
    }
    const reading = input.fromCell(cell);
    if (!reading.ok) return { state: "unfit", reason: `${input.name} ${reading.problem}` };
    const maxChars = (input.spec as { maxChars?: number }).maxChars;
    if (maxChars !== undefined && cell.length > maxChars) {
      const chars = countChars(cell);
      if (chars > maxChars) return { state: "unfit", reason: `${input.name} has ${groupDigits(chars)} characters, at most ${groupDigits(maxChars)} are allowed` };
    }
    inputs[input.name] = reading.value;
  }
  return { state: "ready", inputs };
}
