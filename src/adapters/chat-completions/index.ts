export { chatCompletions, type ChatCompletionsOptions } from "./chat-completions.js";
export { viaFetch, type Send } from "./send.js";
