export { STANDIN_HOST, STANDIN_ID, standin, standinReply } from "./standin.js";
export { readWordSense, type WordSense } from "./word-sense.js";
