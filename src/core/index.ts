/** The core: all that runs in Node and in a browser. */
export * from "./answer/index.js";
export * from "./asking/index.js";
export * from "./cells/index.js";
export * from "./deciding/index.js";
export * from "./derive/index.js";
export * from "./fill/index.js";
export * from "./ground/index.js";
export * from "./kinds/index.js";
export * from "./ledger/index.js";
export * from "./model/index.js";
export * from "./plan/index.js";
export * from "./review/index.js";
export * from "./statistics/index.js";
export * from "./table/index.js";
export * from "./template/index.js";
export * from "./trial/index.js";
export * from "./view/index.js";
