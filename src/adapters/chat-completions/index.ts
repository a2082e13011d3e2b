export { chatCompletions, type ChatCompletionsOptions, type Extra } from "./chat-completions.js";
export { keyProblem } from "./key.js";
export { viaFetch, type Received, type Send } from "./send.js";
export { probeHost, type HostAbilities, type HostProbe } from "./host-probe.js";
