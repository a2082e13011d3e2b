export { providerModel, type ProviderModelOptions } from "./provider-model.js";
export { isProvider, type Provider } from "./provider.js";
