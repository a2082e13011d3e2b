import type { GroupsSource } from "../ground/index.js";
import { kindOf } from "../kinds/index.js";
import type { Wanted } from "../table/index.js";
import type { Template } from "../template/index.js";
import { readCondition } from "./condition.js";
import { columnsOf, isTemplateStep, type Plan, type Step } from "./plan.js";
import { readSet } from "./set-column.js";

/** The templates of a plan's steps, by the steps' names. */
export type StepTemplates = Readonly<Record<string, Pick<Template, "inputs"> | undefined>>;

/** Which column each input comes from; the column of its own name where the plan does not say. */
export function inputColumns(
  step: { readonly inputs: Readonly<Record<string, string>> },
  template: Pick<Template, "inputs">,
): Record<string, string> {
  return Object.fromEntries(Object.keys(template.inputs).map((input) => [input, step.inputs[input] ?? input]));
}

/** The columns that a step reads: its inputs, its conditions, what its plain columns are made of. */
export function columnsRead(step: Step, template: Pick<Template, "inputs"> | undefined): string[] {
  const conditions = [step.when, ...(isTemplateStep(step) ? (step.clear ?? []).map((rule) => rule.when) : [])];
  const tested = conditions.flatMap((source) => (source === undefined ? [] : (readCondition(source).condition?.columns ?? [])));
  const taken = isTemplateStep(step)
    ? Object.values(template ? inputColumns(step, template) : step.inputs)
    : Object.entries(step.set).flatMap(([column, source]) => readSet(column, source).set?.reads ?? []);
  return [...new Set([...tested, ...taken])];
}

/** The columns of its table that a plan reads as numbers or days: for inputs of these kinds. */
export function readAs(plan: Pick<Plan, "steps">, templates: StepTemplates): Record<string, Wanted> {
  const filled = new Set(Object.values(plan.steps).flatMap(columnsOf));
  const found = Object.entries(plan.steps).flatMap(([name, step]) => {
    const template = templates[name];
    if (!isTemplateStep(step) || !template) return [];
    return Object.entries(inputColumns(step, template)).flatMap(([input, column]) => {
      const wanted = kindOf(template.inputs[input]!.kind).writtenAs;
      return wanted === undefined || filled.has(column) ? [] : [[column, wanted] as const];
    });
  });
  return wantedOnce(found);
}

/** The columns that the figures of groups read as numbers or days. */
export function figuresReadAs({ figures }: Pick<GroupsSource, "figures">): Record<string, Wanted> {
  return wantedOnce(
    Object.values(figures).flatMap(({ sum, mean, median, by, min, max }) => [
      ...[sum, mean, median, by].flatMap((column) => (column === undefined ? [] : [[column, "numbers"] as const])),
      ...[min, max].flatMap((column) => (column === undefined ? [] : [[column, "either"] as const])),
    ]),
  );
}

/** A column that is wanted as several things is read as whichever stands there. */
export function wantedOnce(found: readonly (readonly [string, Wanted])[]): Record<string, Wanted> {
  const wanted: Record<string, Wanted> = {};
  for (const [column, what] of found) wanted[column] = wanted[column] === undefined || wanted[column] === what ? what : "either";
  return wanted;
}

export interface Order {
  /** Every step after all that it needs. */
  readonly steps: readonly string[];
  /** Step -> the steps whose columns it reads. */
  readonly needs: Readonly<Record<string, readonly string[]>>;
}

/** Steps that wait for each other in a circle, each with the column that it takes from the one before it. */
export type Cycle = readonly { readonly step: string; readonly column: string }[];

/**
 * Puts the steps of a plan in order, by the columns that they read and write: as the plan has them, except that none comes
 * before what it needs (topological order, Kahn 1962).
 */
export function orderSteps(plan: Pick<Plan, "steps">, templates: StepTemplates): { order: Order } | { cycle: Cycle } {
  const names = Object.keys(plan.steps);
  const writer = new Map(names.flatMap((name) => columnsOf(plan.steps[name]!).map((column) => [column, name] as const)));
  const reads = Object.fromEntries(names.map((name) => [name, columnsRead(plan.steps[name]!, templates[name])]));
  const needs = Object.fromEntries(
    names.map((name) => [name, [...new Set(reads[name]!.flatMap((column) => writer.get(column) ?? []))].filter((need) => need !== name)]),
  );
  const steps: string[] = [];
  while (steps.length < names.length) {
    const next = names.find((name) => !steps.includes(name) && needs[name]!.every((need) => steps.includes(need)));
    if (next === undefined)
      return {
        cycle: cycleIn(
          names.filter((name) => !steps.includes(name)),
          needs,
          (step, need) => reads[step]!.find((column) => writer.get(column) === need)!,
        ),
      };
    steps.push(next);
  }
  return { order: { steps, needs } };
}

/** The steps that read some columns, or what such a step fills. */
export function stepsBehind(plan: Pick<Plan, "steps">, templates: StepTemplates, columns: ReadonlySet<string>): ReadonlySet<string> {
  const behind = new Set<string>();
  const open = new Set(columns);
  for (let size = -1; size !== behind.size;) {
    size = behind.size;
    for (const [name, step] of Object.entries(plan.steps)) {
      if (!columnsRead(step, templates[name]).some((column) => open.has(column))) continue;
      behind.add(name);
      for (const column of columnsOf(step)) open.add(column);
    }
  }
  return behind;
}

function cycleIn(left: readonly string[], needs: Order["needs"], columnBetween: (step: string, need: string) => string): Cycle {
  const path: string[] = [];
  for (let step = left[0]!; !path.includes(step); step = needs[step]!.find((need) => left.includes(need))!) path.push(step);
  const last = path.at(-1)!;
  const first = needs[last]!.find((need) => left.includes(need))!;
  const circle = path.slice(path.indexOf(first));
  return circle.map((step, index) => ({ step, column: columnBetween(step, circle[(index + 1) % circle.length]!) }));
}
