export { BudgetSpent, type CapWhy } from "./budget-spent.js";
export { allowanceOf, retryAfterMs } from "./http-headers.js";
export { statusFailure, wordsOf } from "./http-failure.js";
export {
  ModelFailure,
  withAsk,
  type AskedModel,
  type FailureKind,
  type Finish,
  type HostSays,
  type Model,
  type ModelLayer,
  type ModelLimits,
  type ModelReply,
  type ModelRequest,
  type Price,
  type Usage,
} from "./model.js";
export { costOf, dearestUsage, guessUsage, imageTokens } from "./price.js";
export { pictureTokens, type PictureCost } from "./picture.js";
export { chargedUsage, checkedUsage } from "./usage.js";
