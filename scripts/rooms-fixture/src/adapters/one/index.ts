import { two } from "../two/index.js"; export const one = two;
