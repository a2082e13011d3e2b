import { complain, nearest, type Complaint, type SourceDocument } from "../ground/index.js";
import { kindOf, referencesIn, shapeSpec } from "../kinds/index.js";
import { keyColumnsOf } from "../table/index.js";
import { CONFIDENCE, partPaths, type InputSpec, type Template } from "../template/index.js";
import { givenValue } from "./clear.js";
import { readCondition } from "./condition.js";
import { stepOf, type ClearRule, type Plan, type Step } from "./plan.js";

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
    if (!parts.includes(part) && !(part === CONFIDENCE && template.doubt)) found.push(complain("unknownPart", document.at([...at, "fill", column]), { name: part, known: parts, near: nearest(part, parts) }));
    if (keyColumnsOf(plan.table.key).includes(column)) found.push(complain("keyFilled", document.atKey([...at, "fill", column]), { column }));
    if (Object.values(inputColumns(step, template)).includes(column)) found.push(complain("inputFilled", document.atKey([...at, "fill", column]), { column }));
  }
  if (plan.gate && plan.gate.step === name && !parts.includes(plan.gate.part)) found.push(complain("unknownPart", document.at(["gate", "part"]), { name: plan.gate.part, known: parts, near: nearest(plan.gate.part, parts) }));
  for (const [index, rule] of (step.clear ?? []).entries()) found.push(...checkRule(rule, step, template, document, [...at, "clear", index]));
  return table ? [...found, ...checkColumns(plan, template, document, table)] : found;
}

/** A rule gives all that the step fills, each value of its part's kind. */
function checkRule(rule: ClearRule, step: Step, template: Template, document: SourceDocument, at: readonly (string | number)[]): Complaint[] {
  const known = Object.keys(template.answer);
  const wanted = new Set(Object.values(step.fill).map((path) => path.split(".")[0]!).filter((part) => known.includes(part)));
  const missing = [...wanted].filter((part) => !(part in rule.give)).map((part) => complain("missingKey", document.atKey([...at, "give"]), { key: part, hint: "A rule gives a value for every part that the step fills." }));
  const unfit = Object.entries(rule.give).flatMap(([part, value]) => {
    const spec = template.answer[part];
    if (!spec) return [complain("unknownPart", document.atKey([...at, "give", part]), { name: part, known, near: nearest(part, known) })];
    // Options of a reference are known only once it is read.
    if (referencesIn(spec).length > 0) return [];
    const reading = givenValue(shapeSpec(spec, kindOf), value);
    return reading.ok ? [] : [complain("badValue", document.at([...at, "give", part]), { problem: `The value of \`${part}\` does not fit: ${reading.problem}.` })];
  });
  return [...missing, ...unfit];
}

function checkColumns(plan: Plan, template: Template, document: SourceDocument, table: { readonly name: string; readonly columns: readonly string[] }): Complaint[] {
  const { name, step } = stepOf(plan);
  const at = ["steps", name] as const;
  const found: Complaint[] = [];
  const known = table.columns;
  const missing = (column: string, place: readonly (string | number)[]): void => {
    found.push(complain("unknownColumn", document.at(place), { name: column, table: table.name, known, near: nearest(column, known) }));
  };
  const related = Object.keys(plan.related ?? {});
  keyColumnsOf(plan.table.key).forEach((column, index) => {
    if (!known.includes(column)) missing(column, ["table", "key", ...(typeof plan.table.key === "string" ? [] : [index])]);
  });
  for (const [input, spec] of Object.entries(template.inputs)) {
    const column = step.inputs[input];
    const source = column ?? input;
    const isRows = spec.kind === "rows";
    if (isRows && !related.includes(source) && (column !== undefined || (spec as InputSpec).required !== false) && !known.includes(source)) {
      found.push(complain("badValue", document.at([...at, "inputs", input]), { problem: `\`${input}\` takes rows. Say which: \`related: { ${source}: { table: { file: … }, match: { … } } }\`.` }));
      continue;
    }
    if (!isRows && related.includes(source)) found.push(complain("badValue", document.at([...at, "inputs", input]), { problem: `\`${source}\` gives rows, but the input \`${input}\` is of the kind ${spec.kind}.` }));
    if (related.includes(source)) continue;
    if (column !== undefined && !known.includes(column)) missing(column, [...at, "inputs", input]);
    if (column === undefined && !known.includes(input) && (spec as InputSpec).required !== false) found.push(complain("unfedInput", document.atKey([...at, "inputs"]), { name: input }));
  }
  const condition = step.when === undefined ? undefined : readCondition(step.when).condition;
  for (const column of condition?.columns ?? []) if (!known.includes(column) && !related.includes(column)) missing(column, [...at, "when"]);
  for (const [index, rule] of (step.clear ?? []).entries()) {
    for (const column of readCondition(rule.when).condition?.columns ?? []) if (!known.includes(column) && !related.includes(column)) missing(column, [...at, "clear", index, "when"]);
  }
  for (const [name, source] of Object.entries(plan.related ?? {})) {
    for (const [there, here] of Object.entries(source.match)) if (!known.includes(here)) missing(here, ["related", name, "match", there]);
    if (known.includes(name)) found.push(complain("badValue", document.atKey(["related", name]), { problem: `\`${name}\` is a column of ${table.name}, too. Give the related rows another name.` }));
  }
  return found;
}

/** Which column each input comes from; the column of its own name where the plan does not say. */
export function inputColumns(step: Step, template: Template): Record<string, string> {
  return Object.fromEntries(Object.keys(template.inputs).map((input) => [input, step.inputs[input] ?? input]));
}
