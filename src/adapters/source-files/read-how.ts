import { DEFAULT_LONGEST_SIDE, DEFAULT_MAX_PAGES, kindOf, pageRanges, type DocumentSpec, type SourceSpec } from "../../core/index.js";

/** How a file is read: what its input's spec says, with all defaults. The process that reads knows no kinds. */
export interface ReadHow {
  readonly picturesOnly: boolean;
  readonly as: "text" | "images" | "both";
  readonly longestSide: number;
  readonly ranges: readonly { readonly from: number; readonly to: number }[] | undefined;
  readonly maxPages: number;
  /** It is a page of the web: its main text is wanted, its links by where it lies. */
  readonly page?: { readonly address: string; readonly charset?: string | undefined } | undefined;
}

/** An e-mail taken apart: its head and its text; what is attached lies in files of their own, each in a folder by its hash. */
export interface MailOrder {
  readonly folder: string;
}

/** What an e-mail holds, with the places of what is attached to it. */
export interface TakenMail {
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  readonly sent: string;
  readonly text: string;
  readonly attachments: readonly string[];
}

/** How a page of the web is read. */
export const pageHow = (address: string, charset: string | undefined): ReadHow => ({
  picturesOnly: false,
  as: "text",
  longestSide: DEFAULT_LONGEST_SIDE,
  ranges: undefined,
  maxPages: DEFAULT_MAX_PAGES,
  page: { address, charset },
});

export function readHow(spec: SourceSpec): ReadHow {
  const { as = "text", longestSide = DEFAULT_LONGEST_SIDE, pages, maxPages = DEFAULT_MAX_PAGES } = spec as DocumentSpec;
  return { picturesOnly: kindOf(spec.kind).source === "image", as, longestSide, ranges: pageRanges(pages), maxPages };
}
