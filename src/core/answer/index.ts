export type { Answer, AnswerState } from "./answer.js";
export { askPrepared, type AskOptions } from "./ask.js";
export { findJson, type FoundJson } from "./find-json.js";
export { ask } from "./one.js";
export { readReply, type ReplyReading } from "./read-reply.js";
