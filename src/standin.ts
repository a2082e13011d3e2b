/** The offline stand-in model, in process. */
export { STANDIN_HOST, STANDIN_ID, standin, standinReply } from "./core/standin/index.js";
