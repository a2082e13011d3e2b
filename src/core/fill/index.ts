export { fill, type FillReport } from "./fill.js";
export { fillRows } from "./fill-rows.js";
export { readGate, type GateReading } from "./gate.js";
export { keyCandidates } from "./key-repeats.js";
export { preflight, type PreflightOptions, type Problem } from "./preflight.js";
export { answerTokens, preview, type CountTokens, type Preview } from "./preview.js";
export { forgetSettled, settledSince, type StepTallies } from "./settled.js";
export type { Capped, FillEnd, Tally } from "./tally.js";
