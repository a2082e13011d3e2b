export { bringBack, bringsBack, type BroughtBack, type Conflict } from "./bring-back.js";
export { considerRules, type RuleAct, type RuledOutcome, type RuledRow, type RuleTimes } from "./consider-rules.js";
export { followRules, type Followed, type FollowOptions, type RuleTally } from "./follow.js";
export {
  appendedRows,
  isOtherName,
  keepOtherWritten,
  otherPlan,
  otherTables,
  otherWrittenAt,
  withTypes,
  type OtherTable,
} from "./other-tables.js";
export { deliverNotices, type Delivered, type DeliverOptions, type Messenger } from "./outbox.js";
export { noteRules, ruleTimes } from "./rule-times.js";
