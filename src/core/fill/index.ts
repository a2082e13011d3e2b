export { checkPlan } from "./check-plan.js";
export { readCondition, type Condition } from "./condition.js";
export { fill, type FillReport } from "./fill.js";
export { DEFAULT_AT_ONCE, PLAN_FORMAT, REFILLS, stepOf, type Limits, type Plan, type Refill, type Step, type TableSource } from "./plan.js";
export { preview, type CountTokens, type Preview } from "./preview.js";
export { plan, planFileSchema, readPlan, type PlanReading, type PlanShape } from "./read-plan.js";
export type { FillOptions, FillSetup, Progress } from "./setup.js";
export { survey, type OpenCell, type Survey } from "./survey.js";
export type { FillEnd, Tally } from "./tally.js";
