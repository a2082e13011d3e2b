export { sendTo } from "./send-to.js";
export { fetchAddress, PAGE_LIMITS, PrivateAddress, type Fetched, type WebReply, type WebRequest, type WebSend } from "./fetch-address.js";
export { isPublic, sendGuarded } from "./send-guarded.js";
export { web, type KeptAddress, type Web, type WebKept, type WebOptions } from "./web-pages.js";
