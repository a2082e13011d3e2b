export { LEVEL, releaseFigures, wrongFigures, type ReleaseFigures, type WrongFigures } from "./error-figures.js";
export { keepApproval, readApprovals, type Approval } from "./approvals.js";
export { heldBy, heldColumns, isForCheck, readyHolds, type HeldBy, type JudgedRow, type ReadyHold } from "./hold.js";
export { keepRelease, readReleases, stillUnreleased, unreleasedColumns, type Release } from "./release.js";
export { earlierDecisions, judgedMark, verdictOf, type Verdict } from "./verdict.js";
