export { telemetry } from "./telemetry.js";
