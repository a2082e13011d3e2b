/** The core: everything that runs in Node and in a browser. */
export * from "./core/index.js";
export { providerModel, type Provider, type ProviderModelOptions } from "./adapters/provider-model/index.js";
export { systemClock } from "./adapters/system-clock/index.js";
export { chatCompletions, viaFetch, type ChatCompletionsOptions, type Received, type Send } from "./adapters/chat-completions/index.js";
