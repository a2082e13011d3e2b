export { schedule, scheduleProblem, type Schedule } from "./schedule.js";
