export { trialPage, type TrialPage } from "./trial-page.js";
