import { REMARKS, sentenceOf, type Remark } from "../../src/core/index.js";

/** A value with every remark in it put in words, to be held against what a person reads. */
export function inWords(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inWords);
  if (value instanceof Map) return new Map([...value].map(([key, one]) => [key, inWords(one)]));
  if (value === null || typeof value !== "object" || Object.getPrototypeOf(value) !== Object.prototype) return value;
  const { code } = value as { code?: unknown };
  if (typeof code === "string" && code in REMARKS) return sentenceOf(value as Remark);
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, inWords(one)]));
}
