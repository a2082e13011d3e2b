import { complain, nearest, type Complaint, type SourceDocument } from "../ground/index.js";
import { partPaths, type InputSpec, type Template } from "../template/index.js";
import { readCondition } from "./condition.js";
import { stepOf, type Plan, type Step } from "./plan.js";

/** Holds a plan against the template it uses and, where they are known, the columns of its table. */
export function checkPlan(plan: Plan, template: Template, document: SourceDocument, table?: { readonly name: string; readonly columns: readonly string[] }): Complaint[] {
  const { name, step } = stepOf(plan);
  const at = ["steps", name] as const;
  const found: Complaint[] = [];
  const inputs = Object.keys(template.inputs);
  const parts = partPaths(template.answer);
  for (const input of Object.keys(step.inputs)) {
    if (!inputs.includes(input)) found.push(complain("unknownInput", document.atKey([...at, "inputs", input]), { name: input, known: inputs, near: nearest(input, inputs) }));
  }
  for (const [column, part] of Object.entries(step.fill)) {
    if (!parts.includes(part)) found.push(complain("unknownPart", document.at([...at, "fill", column]), { name: part, known: parts, near: nearest(part, parts) }));
    if (column === plan.table.key) found.push(complain("keyFilled", document.atKey([...at, "fill", column]), { column }));
    if (Object.values(inputColumns(step, template)).includes(column)) found.push(complain("inputFilled", document.atKey([...at, "fill", column]), { column }));
  }
  return table ? [...found, ...checkColumns(plan, template, document, table)] : found;
}

function checkColumns(plan: Plan, template: Template, document: SourceDocument, table: { readonly name: string; readonly columns: readonly string[] }): Complaint[] {
  const { name, step } = stepOf(plan);
  const at = ["steps", name] as const;
  const found: Complaint[] = [];
  const known = table.columns;
  const missing = (column: string, place: readonly (string | number)[]): void => {
    found.push(complain("unknownColumn", document.at(place), { name: column, table: table.name, known, near: nearest(column, known) }));
  };
  if (!known.includes(plan.table.key)) missing(plan.table.key, ["table", "key"]);
  for (const [input, spec] of Object.entries(template.inputs)) {
    const column = step.inputs[input];
    if (column !== undefined && !known.includes(column)) missing(column, [...at, "inputs", input]);
    if (column === undefined && !known.includes(input) && (spec as InputSpec).required !== false) found.push(complain("unfedInput", document.atKey([...at, "inputs"]), { name: input }));
  }
  const condition = step.when === undefined ? undefined : readCondition(step.when).condition;
  for (const column of condition?.columns ?? []) if (!known.includes(column)) missing(column, [...at, "when"]);
  return found;
}

/** Which column each input comes from; the column of its own name where the plan does not say. */
export function inputColumns(step: Step, template: Template): Record<string, string> {
  return Object.fromEntries(Object.keys(template.inputs).map((input) => [input, step.inputs[input] ?? input]));
}
