import * as z from "zod";
import { checkShape, complain, documentOf, readDocument, YoroshiError, type Complaint, type Json, type SourceDocument } from "../ground/index.js";
import { jsonSchemaOf } from "../kinds/index.js";
import { checkFormat } from "../template/index.js";
import { readCondition } from "./condition.js";
import { PLAN_FORMAT, REFILLS, type Limits, type Plan, type Refill, type Step } from "./plan.js";

const name = z.string().regex(/^[a-z0-9][a-z0-9-]*$/, "A name is made of small letters, digits and hyphens (for example `deck-log`).");
const columns = z.record(z.string(), z.string());

const planFile = z.strictObject({
  yoroshi: z.literal(PLAN_FORMAT).optional(),
  name,
  title: z.string().optional(),
  table: z.strictObject({ file: z.string().min(1), key: z.string().min(1) }),
  related: z
    .record(
      z.string(),
      z.strictObject({
        table: z.strictObject({ file: z.string().min(1) }),
        match: columns.refine((match) => Object.keys(match).length > 0, "Say which columns must be the same: `match: { <column there>: <column here> }`."),
        columns: columns.optional(),
        order: z.string().optional(),
        limit: z.int().min(1).max(1000).optional(),
        keep: z.enum(["newest", "oldest"], "Expected newest or oldest.").optional(),
      }),
    )
    .optional(),
  steps: z.record(
    z.string(),
    z.strictObject({
      template: z.string(),
      inputs: columns.default({}),
      fill: columns,
      when: z.string().optional(),
      clear: z.array(z.strictObject({ when: z.string(), give: z.record(z.string(), z.json()) })).optional(),
    }),
  ),
  limits: z
    .strictObject({
      rows: z.int().positive().optional(),
      spend: z.number().positive().optional(),
      atOnce: z.int().min(1).max(1000).optional(),
    })
    .default({}),
  gate: z.strictObject({ step: z.string(), part: z.string(), accuracyAtLeast: z.number().min(0).max(1) }).optional(),
  refill: z.enum(REFILLS as [Refill, ...Refill[]], `Expected one of ${REFILLS.join(", ")}.`).default("stale"),
});

/** The JSON Schema of a plan file, for editors. */
export const planFileSchema = (): Record<string, Json> => jsonSchemaOf(planFile);

/** The shape that a person writes, in YAML or in TypeScript. */
export interface PlanShape extends Omit<Plan, "steps" | "limits" | "refill"> {
  readonly steps: Readonly<Record<string, Omit<Step, "inputs"> & { readonly inputs?: Step["inputs"] | undefined }>>;
  readonly limits?: Limits | undefined;
  readonly refill?: Refill | undefined;
}

export interface PlanReading {
  readonly plan?: Plan;
  /** For further checks that name places. */
  readonly document?: SourceDocument;
  readonly complaints: readonly Complaint[];
}

/** Reads a plan from YAML. Every mistake is reported with file, line and column; then there is no plan. */
export function readPlan(text: string, file: string): PlanReading {
  const { document, complaints } = readDocument(text, file);
  if (!document) return { complaints };
  const format = checkFormat(document, PLAN_FORMAT);
  return format ? { complaints: [format] } : readPlanDocument(document);
}

/**
 * Makes a plan in code.
 *
 * @throws YoroshiError `filesInvalid` with every mistake found.
 */
export function plan(shape: PlanShape): Plan {
  const { plan: made, complaints } = readPlanDocument(documentOf(shape, `plan ${shape.name}`));
  if (!made) throw new YoroshiError("filesInvalid", { complaints });
  return made;
}

function readPlanDocument(document: SourceDocument): PlanReading {
  const { value, complaints } = checkShape(planFile, document.value, document);
  if (!value) return { document, complaints };
  const found: Complaint[] = [];
  const steps = Object.entries(value.steps);
  if (steps.length === 0) found.push(complain("missingKey", document.atKey(["steps"]), { key: "steps", hint: "A plan needs a step." }));
  if (steps.length > 1) found.push(complain("oneStep", document.atKey(["steps", steps[1]![0]]), undefined as never));
  const { gate } = value;
  if (gate && !(gate.step in value.steps)) found.push(complain("badValue", document.at(["gate", "step"]), { problem: `The plan has no step \`${gate.step}\`. Steps: ${Object.keys(value.steps).join(", ")}.` }));
  for (const [stepName, step] of steps) {
    if (Object.keys(step.fill).length === 0) found.push(complain("missingKey", document.atKey(["steps", stepName, "fill"]), { key: "fill", hint: "Say which column takes which part: `fill: { <column>: <part> }`." }));
    const { problem } = step.when === undefined ? {} : readCondition(step.when);
    if (problem) found.push(complain("badCondition", document.at(["steps", stepName, "when"]), { problem }));
    for (const [index, rule] of (step.clear ?? []).entries()) {
      const fault = readCondition(rule.when).problem;
      if (fault) found.push(complain("badCondition", document.at(["steps", stepName, "clear", index, "when"]), { problem: fault }));
    }
  }
  if (found.length > 0) return { document, complaints: found };
  const { yoroshi: _, ...made } = value;
  return { plan: made as Plan, document, complaints: [] };
}
