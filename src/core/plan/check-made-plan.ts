import { documentOf, type Complaint } from "../ground/index.js";
import type { Template } from "../template/index.js";
import type { KnownTable } from "./known-table.js";
import type { Plan } from "./plan.js";

/** Holds a plan that was made in code against its templates and its table; what checks it is loaded when it is needed. */
export async function checkMadePlan(
  plan: Plan,
  templates: Readonly<Record<string, Template>>,
  table: KnownTable | undefined,
): Promise<Complaint[]> {
  const { checkPlan } = await import("./check-plan.js");
  return checkPlan(plan, templates, documentOf(plan, `plan ${plan.name}`), table);
}
