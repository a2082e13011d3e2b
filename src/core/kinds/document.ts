import * as z from "zod/mini";
import type { Kind } from "./kind.js";
import { many, namedInCell, type SourceKindValue, type SourceSpec } from "./source-handle.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    document: SourceKindValue<Spec>;
  }
  interface KindSpecs {
    document: DocumentSpec;
  }
}

export interface DocumentSpec extends SourceSpec {
  readonly kind: "document";
  /** The pages that are read: `1-5`, `1, 3-4`. Default: all. */
  readonly pages?: string | undefined;
  /** Whether the text of the pages is sent, pictures of them, or both. Default `text`; pages that are mere pictures are sent as these. */
  readonly as?: "text" | "images" | "both" | undefined;
  /** Most pages that are read; a document with more makes its row fail. Default 100. */
  readonly maxPages?: number | undefined;
  readonly maxChars?: number | undefined;
  /** The longest side in points of pictures of pages. Default 1,536. */
  readonly longestSide?: number | undefined;
}

export const DEFAULT_MAX_PAGES = 100;

const PAGES = /^\s*\d+\s*(-\s*\d+)?\s*(,\s*\d+\s*(-\s*\d+)?\s*)*$/;

/** The pages that a spec names, in order, as ranges from 1; `undefined` for all. */
export function pageRanges(pages: string | undefined): { readonly from: number; readonly to: number }[] | undefined {
  return pages?.split(",").map((range) => {
    const [from, to = from] = range.split("-").map(Number) as [number, number?];
    return { from, to };
  });
}

export const document: Kind<DocumentSpec, never> = {
  ...namedInCell,
  kind: "document",
  summary: "A document: PDF, DOCX, ODT, HTML, e-mail, Markdown or text, by path, address or bytes. As an input only.",
  keys: {
    many,
    pages: z.optional(z.string().check(z.regex(PAGES, 'Expected pages, for example "1-5" or "1, 3-4".'))),
    as: z.optional(z.enum(["text", "images", "both"], "Expected text, images or both.")),
    maxPages: z.optional(z.int().check(z.gte(1)).check(z.lte(2000))),
    maxChars: z.optional(z.int().check(z.positive())),
    longestSide: z.optional(z.int().check(z.gte(64)).check(z.lte(8192))),
  },
  source: "document",
  isProse: true,
  faults: ({ pages }) =>
    (pageRanges(pages) ?? []).some(({ from, to }) => from < 1 || to < from)
      ? ["Pages are counted from 1, and a range goes upwards: `1-5`."]
      : [],
  tell: () => "a document",
};
