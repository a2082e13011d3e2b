import { workOf, type FillSetup } from "../cells/index.js";
import { canonicalJson } from "../ground/index.js";
import type { CellValue } from "../table/index.js";
import { askingStep } from "./waiting.js";
import { cellOf } from "./decide-row.js";

/**
 * Whether what a person says is the value that stands, as the column's kind takes values for the same.
 *
 * @throws YoroshiError `decisionUnfit` where what the person says is none of the kind.
 */
export function sameValue(setup: FillSetup, step: string, column: string, said: string, value: CellValue, key: string): boolean {
  const one = askingStep(workOf(setup), step);
  const mine = cellOf(one, key, column, said);
  const part = one.targets.find(({ name }) => name === column)?.part;
  const [a, b] = [part?.fromCell(String(mine)), part?.fromCell(String(value))];
  if (part?.kind.same && a?.ok && b?.ok) return part.kind.same(a.value, b.value);
  return canonicalJson(a?.ok ? a.value : mine) === canonicalJson(b?.ok ? b.value : value);
}
