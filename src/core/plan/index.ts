export { afterRules, readyAfterRules, ruledColumns, sameTable, stepsByRule, withAfterStep, type ReadyAfterRule } from "./after-rules.js";
export { checkMadePlan } from "./check-made-plan.js";
export { checkPlan } from "./check-plan.js";
export type { KnownTable } from "./known-table.js";
export { readyRules, type ReadyRule } from "./clear.js";
export { adviseCondition } from "./condition-advice.js";
export { readCondition, type Condition } from "./condition.js";
export { columnsRead, figuresReadAs, inputColumns, orderSteps, stepsBehind, readAs, wantedOnce } from "./order.js";
export {
  AFTER_STEP,
  checkFilled,
  columnsOf,
  DEFAULT_AT_ONCE,
  DEFAULT_LOOK_SECONDS,
  DEFAULT_RELATED_LIMIT,
  HOLDS,
  isTemplateStep,
  MOST_ROWS_PER_REQUEST,
  OWN_STEP,
  ownerOf,
  OWNERS,
  PLAN_FORMAT,
  REFILLS,
  templatesOf,
  templateSteps,
  writerOf,
  type AfterRule,
  type Afterwards,
  type ClearRule,
  type Drift,
  type Gate,
  type HoldRule,
  type Limits,
  type Overdue,
  type OwnColumn,
  type Owner,
  type Plan,
  type Refill,
  type RelatedSource,
  type Inquire,
  INQUIRY,
  type Review,
  type SetStep,
  type Step,
  type Takes,
  type TemplateStep,
  type Watch,
} from "./plan.js";
export { plan, planFileSchema, readPlan, type PlanReading, type PlanShape, type ReviewShape } from "./read-plan.js";
export { planCircle, type CircleLink, type PlanRead } from "./plans-in-circle.js";
export { readRuleValue, readSet, setFingerprint, type ReadySet, type RuleValue } from "./set-column.js";
export { warnPlan } from "./warn-plan.js";
