export type { GroupTally, Lengths, Share } from "./column-tally.js";
export type { EvidenceReport, EvidencePassage } from "./evidence-tally.js";
export { planReport, type ColumnReport, type Moved, type Passed, type PlanReport, type PlanReportOptions } from "./plan-report.js";
