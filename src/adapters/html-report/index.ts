export { planPage, type PlanPage } from "./plan-page.js";
export { trialPage, type TrialPage } from "./trial-page.js";
