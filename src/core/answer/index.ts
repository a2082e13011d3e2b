export type { Answer, AnswerState, Confidence, Exchange } from "./answer.js";
export { askPrepared, type AskOptions } from "./ask.js";
export { findJson, type FoundJson } from "./find-json.js";
export { declined, inputCellsOf } from "./given-inputs.js";
export type { Objection } from "./question.js";
export { readReply, type ReplyReading } from "./read-reply.js";
export type { Recall } from "./recall.js";
export { askTogether } from "./several.js";
export type { AnswerOf } from "./together.js";
