import * as z from "zod";
import type { NamedShape } from "../core/index.js";

/** A part of an answer as a person gives a value to it. */
export const partShape = z.object({
  name: z.string(),
  /** What a value looks like, in words. */
  told: z.string(),
  /** What is chosen one of, in order. */
  options: z.array(z.string()),
  /** What options or points mean. */
  meanings: z.array(z.object({ name: z.string(), about: z.string().optional() })),
});

export type LabelledPart = z.output<typeof partShape>;

/** What a person is told of a part. */
export function partTold(shape: NamedShape): LabelledPart {
  const { kind, spec } = shape;
  const meanings = kind.control === "someOf" ? [] : (kind.meanings?.(spec) ?? []);
  // Also where none of them may be chosen.
  const options = kind.control === "oneOf" ? kind.options!(spec) : [];
  return {
    name: shape.name,
    told: shape
      .tell()
      .split("\n")[0]!
      .replace(/, where$/, ""),
    options: options.map(({ name }) => name),
    meanings: meanings.map(({ name, about }) => (about === undefined ? { name } : { name, about })),
  };
}
