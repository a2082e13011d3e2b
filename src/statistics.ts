/**
 * Figures, tests and intervals by which trials are read, each with the source of its formula.
 *
 * @packageDocumentation
 */
export * from "./core/statistics/index.js";
