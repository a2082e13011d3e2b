import { complain, isWorkbook, nearest, type Complaint, type SourceDocument } from "../ground/index.js";
import { kindOf, referencesIn, shapeSpec } from "../kinds/index.js";
import { headerAdvice, keyColumnsOf } from "../table/index.js";
import type { KnownTable } from "./known-table.js";
import { columnPaths, CONFIDENCE, partPaths, whyAlone, type InputSpec, type Template } from "../template/index.js";
import { givenValue } from "./clear.js";
import { readCondition } from "./condition.js";
import { checkAfterwards } from "./check-afterwards.js";
import { checkReview } from "./check-review.js";
import { columnsRead, inputColumns, orderSteps } from "./order.js";
import { columnsOf, isTemplateStep, type ClearRule, type Plan, type Step, type TemplateStep } from "./plan.js";
import { readSet } from "./set-column.js";

/**
 * Holds a plan against the templates it uses and, where they are known, the columns of its table.
 *
 * @param templates by the steps' names.
 */
export function checkPlan(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  document: SourceDocument,
  table?: KnownTable,
): Complaint[] {
  const found: Complaint[] = [];
  for (const [name, step] of Object.entries(plan.steps)) {
    const template = templates[name];
    const at = ["steps", name] as const;
    const written = isTemplateStep(step) ? "fill" : "set";
    const reads = columnsRead(step, template);
    for (const column of columnsOf(step)) {
      if (keyColumnsOf(plan.table.key).includes(column))
        found.push(complain("keyFilled", document.atKey([...at, written, column]), { column }));
      if (reads.includes(column)) found.push(complain("inputFilled", document.atKey([...at, written, column]), { column }));
    }
    if (isTemplateStep(step) && template) found.push(...checkTemplateStep(plan, name, step, template, document));
    if (table) found.push(...checkColumns(plan, name, step, template, document, table));
  }
  found.push(...checkReview(plan, templates, document, table), ...checkAfterwards(plan, templates, document, table));
  const ordered = orderSteps(plan, templates);
  if ("cycle" in ordered) found.push(complain("stepsInCircle", document.atKey(["steps", ordered.cycle[0]!.step]), { path: ordered.cycle }));
  return table ? [...found, ...checkRelated(plan, document, table)] : found;
}

function checkTemplateStep(plan: Plan, name: string, step: TemplateStep, template: Template, document: SourceDocument): Complaint[] {
  const at = ["steps", name] as const;
  const found: Complaint[] = [];
  const inputs = Object.keys(template.inputs);
  const parts = partPaths(template.answer);
  const takeable = columnPaths(template.answer);
  for (const input of Object.keys(step.inputs)) {
    if (!inputs.includes(input))
      found.push(
        complain("unknownInput", document.atKey([...at, "inputs", input]), { name: input, known: inputs, near: nearest(input, inputs) }),
      );
  }
  for (const [column, part] of Object.entries(step.fill)) {
    if (takeable.includes(part) || (part === CONFIDENCE && template.doubt)) continue;
    const near = nearest(part, takeable);
    // The column is a part, and what stands for the part is none, nor nearly one.
    if (parts.includes(column) && (near === undefined || part.toLowerCase() === column.toLowerCase()))
      found.push(
        complain("badValue", document.at([...at, "fill", column]), {
          problem: `\`fill\` names the column first, then the part of the answer: \`fill: { ${plainKey(part)}: ${column} }\`.`,
        }),
      );
    else found.push(complain("unknownPart", document.at([...at, "fill", column]), { name: part, known: takeable, near }));
  }
  if (plan.gate && plan.gate.step === name && !parts.includes(plan.gate.part))
    found.push(
      complain("unknownPart", document.at(["gate", "part"]), { name: plan.gate.part, known: parts, near: nearest(plan.gate.part, parts) }),
    );
  for (const [index, column] of (step.staleBy ?? []).entries()) {
    const read = Object.values(inputColumns(step, template));
    if (!read.includes(column))
      found.push(
        complain("badValue", document.at([...at, "staleBy", index]), {
          problem: `The step reads no column \`${column}\`, so that it cannot go out of date by it. It reads: ${read.join(", ")}.`,
        }),
      );
  }
  const needsOwn = (step.rowsPerRequest ?? 1) > 1 ? whyAlone(template) : undefined;
  if (needsOwn)
    found.push(
      complain("badValue", document.at([...at, "rowsPerRequest"]), { problem: `Rows of this step cannot share a request: ${needsOwn}.` }),
    );
  for (const [index, rule] of (step.clear ?? []).entries())
    found.push(...checkRule(rule, step, template, document, [...at, "clear", index]));
  return found;
}

const plainKey = (name: string): string => (/^[\p{L}_][\p{L}\d_ -]*$/u.test(name) ? name : JSON.stringify(name));

/** A rule gives all that the step fills, each value of its part's kind. */
function checkRule(
  rule: ClearRule,
  step: TemplateStep,
  template: Template,
  document: SourceDocument,
  at: readonly (string | number)[],
): Complaint[] {
  const known = Object.keys(template.answer);
  const wanted = new Set(
    Object.values(step.fill)
      .map((path) => path.split(".")[0]!)
      .filter((part) => known.includes(part)),
  );
  const missing = [...wanted]
    .filter((part) => !(part in rule.give))
    .map((part) =>
      complain("missingKey", document.atKey([...at, "give"]), {
        key: part,
        hint: "A rule gives a value for every part that the step fills.",
      }),
    );
  const unfit = Object.entries(rule.give).flatMap(([part, value]) => {
    const spec = template.answer[part];
    if (!spec) return [complain("unknownPart", document.atKey([...at, "give", part]), { name: part, known, near: nearest(part, known) })];
    // Options of a reference are known only once it is read.
    if (referencesIn(spec).length > 0) return [];
    const reading = givenValue(shapeSpec(spec, kindOf), value);
    return reading.ok
      ? []
      : [
          complain("badValue", document.at([...at, "give", part]), {
            problem: `The value of \`${part}\` does not fit: ${reading.problem}.`,
          }),
        ];
  });
  return [...missing, ...unfit];
}

/** A step reads columns of the table, and those that other steps fill. */
function checkColumns(
  plan: Plan,
  name: string,
  step: Step,
  template: Template | undefined,
  document: SourceDocument,
  table: KnownTable,
): Complaint[] {
  const at = ["steps", name] as const;
  const found: Complaint[] = [];
  const related = Object.keys(plan.related ?? {});
  const known = [
    ...new Set([...table.columns, ...Object.entries(plan.steps).flatMap(([other, one]) => (other === name ? [] : columnsOf(one)))]),
  ];
  const missing = (column: string, place: readonly (string | number)[]): void => {
    found.push(
      complain("unknownColumn", document.at(place), {
        name: column,
        table: table.name,
        known,
        near: nearest(column, known),
        header: headerOf(plan, table, column),
      }),
    );
  };
  const testRead = (columns: readonly string[] | undefined, place: readonly (string | number)[]): void => {
    for (const column of columns ?? []) if (!known.includes(column) && !related.includes(column)) missing(column, place);
  };
  if (step.when !== undefined) testRead(readCondition(step.when).condition?.columns, [...at, "when"]);
  if (!isTemplateStep(step)) {
    for (const [column, source] of Object.entries(step.set)) testRead(readSet(column, source).set?.reads, [...at, "set", column]);
    return found;
  }
  for (const [index, rule] of (step.clear ?? []).entries())
    testRead(readCondition(rule.when).condition?.columns, [...at, "clear", index, "when"]);
  for (const [input, spec] of Object.entries(template?.inputs ?? {})) {
    const column = step.inputs[input];
    const source = column ?? input;
    const isRows = kindOf(spec.kind).takesRows === true;
    if (
      isRows &&
      !related.includes(source) &&
      (column !== undefined || (spec as InputSpec).required !== false) &&
      !known.includes(source)
    ) {
      found.push(
        complain("badValue", document.at([...at, "inputs", input]), {
          problem: `\`${input}\` takes rows. Say which: \`related: { ${source}: { table: { file: … }, match: { … } } }\`.`,
        }),
      );
      continue;
    }
    if (!isRows && related.includes(source))
      found.push(
        complain("badValue", document.at([...at, "inputs", input]), {
          problem: `\`${source}\` gives rows, but the input \`${input}\` is of the kind ${spec.kind}.`,
        }),
      );
    if (related.includes(source)) continue;
    if (column !== undefined && !known.includes(column)) missing(column, [...at, "inputs", input]);
    if (column === undefined && !known.includes(input) && (spec as InputSpec).required !== false)
      found.push(complain("unfedInput", document.atKey([...at, "inputs"]), { name: input }));
  }
  return found;
}

/** Which row looks like the header, where it is not the one that was taken for it. */
function headerOf({ table }: Plan, { top = [], columns }: KnownTable, missing: string): string {
  return headerAdvice(top, { columns, missing }, "file" in table && isWorkbook(table.file));
}

function checkRelated(plan: Plan, document: SourceDocument, table: KnownTable): Complaint[] {
  const found: Complaint[] = [];
  const { columns: known } = table;
  const missing = (column: string, place: readonly (string | number)[]): void => {
    found.push(
      complain("unknownColumn", document.at(place), {
        name: column,
        table: table.name,
        known,
        near: nearest(column, known),
        header: headerOf(plan, table, column),
      }),
    );
  };
  keyColumnsOf(plan.table.key).forEach((column, index) => {
    if (!known.includes(column)) missing(column, ["table", "key", ...(typeof plan.table.key === "string" ? [] : [index])]);
  });
  for (const column of Object.keys(plan.table.columns ?? {})) if (!known.includes(column)) missing(column, ["table", "columns", column]);
  for (const [name, source] of Object.entries(plan.related ?? {})) {
    for (const [there, here] of Object.entries(source.match)) if (!known.includes(here)) missing(here, ["related", name, "match", there]);
    if (known.includes(name))
      found.push(
        complain("badValue", document.atKey(["related", name]), {
          problem: `\`${name}\` is a column of ${table.name}, too. Give the related rows another name.`,
        }),
      );
  }
  return found;
}
