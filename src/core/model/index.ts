export { Budget, budgeted, budgetFor, BudgetSpent, type CapWhy } from "./budget.js";
export { chargedUsage, checkedUsage } from "./usage.js";
export {
  ModelFailure,
  withAsk,
  type FailureKind,
  type Finish,
  type Model,
  type ModelLayer,
  type ModelLimits,
  type ModelReply,
  type ModelRequest,
  type Price,
  type Usage,
} from "./model.js";
export { breaking, DEFAULT_BREAKER, type BreakerPolicy } from "./breaker.js";
export { layered, type LayerOptions } from "./layers.js";
export { paced } from "./pace.js";
export { secondRequest } from "./second-request.js";
export { costOf, dearestUsage, guessUsage } from "./price.js";
export { DEFAULT_RETRY, retrying, type RetryPolicy } from "./retry.js";
