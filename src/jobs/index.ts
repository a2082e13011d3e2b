export { defineJob, runJob, type Job, type JobContext } from "./job.js";
export { capAdvice, errorJson, knownError, modelError, type KnownError } from "./known-error.js";
export { explainRow, type RowExplanation, type StepExplanation } from "./explain-row.js";
export { exitOf, fillPlan, type FilledPlan, type FillPlanEvent, type FillPlanReport } from "./fill-plan.js";
export { previewFill, type PreviewedPlan } from "./preview-fill.js";
export { surveyPlan, type SurveyReport } from "./survey-plan.js";
export { tryRow, type TryReport } from "./try-row.js";
export { checkFiles, type CheckReport } from "./check-files.js";
export { compareVersion, listVersions, restoreTemplate, type VersionDifference, type VersionsReport } from "./template-versions.js";
