export { runLog, type RunLog } from "./run-log.js";
