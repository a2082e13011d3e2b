import { one } from "../adapters/one/index.js"; export const main = one;
