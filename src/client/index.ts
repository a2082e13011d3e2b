/**
 * A typed client of a project's server, for browsers and Node.
 *
 * @packageDocumentation
 */
export {
  client,
  ServerError,
  type AnswersWish,
  type CallInput,
  type CallOptions,
  type CallReport,
  type Client,
  type ClientOptions,
  type ListenOptions,
} from "./client.js";
export type { LiveEventOf, UnderWay } from "./types.js";
export type { RouteName } from "../api/index.js";
