export { STANDIN_HOST, STANDIN_ID, standin, standinReply } from "./standin.js";
