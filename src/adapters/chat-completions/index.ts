export { chatCompletions, type ChatCompletionsOptions, type Extra } from "./chat-completions.js";
export { keyProblem } from "./key.js";
export { viaFetch, type Received, type Send } from "./send.js";
