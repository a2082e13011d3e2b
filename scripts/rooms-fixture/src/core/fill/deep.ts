import { kinds } from "../kinds/index.js"; export const deep = kinds;
