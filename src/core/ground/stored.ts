import * as z from "zod/mini";
import type { Json } from "./canonical.js";

/** The form of something that is kept as JSON: its number, and the schema that a reading is held against. */
export interface StoredForm<T> {
  /** Raised whenever what is kept changes so that an older reader would misread it. */
  readonly format: number;
  readonly schema: z.ZodMiniType<T>;
}

/** A typed object as JSON; members that are `undefined` go, as JSON has no such thing. */
export const plainJson = (value: object): Json => value as Json;

/** What is to be kept of a value: its members, and the number of their form. */
export const keep = <T extends object>({ format }: Pick<StoredForm<T>, "format">, value: T): Json => plainJson({ format, ...value });

/**
 * What was kept, where it is of this form; `undefined` for nothing, for what a newer version wrote, and for what does not fit. What
 * was kept before there were numbers has the first form.
 */
export function readKept<T>({ format, schema }: StoredForm<T>, kept: Json | undefined): T | undefined {
  if (kept === null || typeof kept !== "object" || Array.isArray(kept)) return undefined;
  if (((kept as { format?: Json })["format"] ?? 1) !== format) return undefined;
  const read = z.safeParse(schema, kept);
  return read.success ? read.data : undefined;
}
