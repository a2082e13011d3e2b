import { DEFAULT_LONGEST_SIDE, DEFAULT_MAX_PAGES, kindOf, pageRanges, type DocumentSpec, type SourceSpec } from "../../core/index.js";

/** How a file is read: what its input's spec says, with all defaults. The process that reads knows no kinds. */
export interface ReadHow {
  readonly picturesOnly: boolean;
  readonly as: "text" | "images" | "both";
  readonly longestSide: number;
  readonly ranges: readonly { readonly from: number; readonly to: number }[] | undefined;
  readonly maxPages: number;
}

export function readHow(spec: SourceSpec): ReadHow {
  const { as = "text", longestSide = DEFAULT_LONGEST_SIDE, pages, maxPages = DEFAULT_MAX_PAGES } = spec as DocumentSpec;
  return { picturesOnly: kindOf(spec.kind).source === "image", as, longestSide, ranges: pageRanges(pages), maxPages };
}
