import * as z from "zod/mini";
import type { Kind } from "./kind.js";
import {
  handleFromCell,
  handleSchema,
  handleType,
  many,
  sourceCell,
  type NamedOrFound,
  type SourceSpec,
  type SourceValue,
} from "./source-handle.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    page: Spec extends { readonly many: true } ? SourceValue : NamedOrFound;
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
  kind: "page",
  summary: "A page of the web, by its address: its main text, fetched when the row is asked. As an input only.",
  keys: {
    many,
    maxAgeDays: z.optional(z.number().check(z.positive())),
    maxChars: z.optional(z.int().check(z.positive())),
  },
  inputOnly: true,
  source: "page",
  isProse: true,
  control: "line",
  value: (spec) => handleSchema(spec) as never,
  tell: () => "a page",
  fromCell: (spec, cell) => handleFromCell(spec, cell) as never,
  toCell: (_spec, value) => sourceCell(value),
  typescript: handleType,
};
