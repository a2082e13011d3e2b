export { Budget, budgeted, budgetFor, BudgetSpent } from "./budget.js";
export {
  ModelFailure,
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
export { paced } from "./pace.js";
export { costOf, dearestUsage, guessUsage } from "./price.js";
export { DEFAULT_RETRY, retrying, type RetryPolicy } from "./retry.js";
