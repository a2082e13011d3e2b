import * as z from "zod/mini";
import type { Kind } from "./kind.js";
import { many, namedInCell, type SourceKindValue, type SourceSpec } from "./source-handle.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    page: SourceKindValue<Spec>;
  }
  interface KindSpecs {
    page: PageSpec;
  }
}

export interface PageSpec extends SourceSpec {
  readonly kind: "page";
  /** How old a page may be that was fetched before. Default 30. */
  readonly maxAgeDays?: number | undefined;
  readonly maxChars?: number | undefined;
}

export const DEFAULT_MAX_AGE_DAYS = 30;

export const page: Kind<PageSpec, never> = {
  ...namedInCell,
  kind: "page",
  summary: "A page of the web, by its address: its main text, fetched when the row is asked. As an input only.",
  keys: {
    many,
    maxAgeDays: z.optional(z.number().check(z.positive())),
    maxChars: z.optional(z.int().check(z.positive())),
  },
  source: "page",
  isProse: true,
  tell: () => "a page",
};
