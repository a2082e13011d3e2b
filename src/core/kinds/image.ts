import * as z from "zod/mini";
import type { Kind } from "./kind.js";
import { many, namedInCell, type SourceKindValue, type SourceSpec } from "./source-handle.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    image: SourceKindValue<Spec>;
  }
  interface KindSpecs {
    image: ImageSpec;
  }
}

export interface ImageSpec extends SourceSpec {
  readonly kind: "image";
  /** The longest side in points that is sent; larger pictures are scaled down. Default 1,536. */
  readonly longestSide?: number | undefined;
}

export const DEFAULT_LONGEST_SIDE = 1536;

export const image: Kind<ImageSpec, never> = {
  ...namedInCell,
  kind: "image",
  summary: "A picture: a file's path, an address, bytes of a database. As an input only.",
  keys: { many, longestSide: z.optional(z.int().check(z.gte(64)).check(z.lte(8192))) },
  source: "image",
  tell: () => "a picture",
};
