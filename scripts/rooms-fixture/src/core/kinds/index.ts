import { readFileSync } from "node:fs"; import { deep } from "../fill/deep.js"; import { one } from "../../adapters/one/index.js"; export const kinds = [readFileSync, deep, one];
