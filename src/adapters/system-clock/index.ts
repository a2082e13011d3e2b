export { systemClock } from "./system-clock.js";
