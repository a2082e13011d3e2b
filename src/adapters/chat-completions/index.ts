export { chatCompletions, type ChatCompletionsOptions, type Extra } from "./chat-completions.js";
export { viaFetch, type Received, type Send } from "./send.js";
