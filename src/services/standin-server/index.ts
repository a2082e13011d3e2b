export { FAULTS, type Fault, type FaultShares } from "./faults.js";
export { standinServer, type StandinServer, type StandinServerOptions } from "./server.js";
