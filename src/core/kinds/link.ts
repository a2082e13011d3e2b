import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    link: string;
  }
  interface KindSpecs {
    link: LinkSpec;
  }
}

export interface LinkSpec extends AnySpec {
  readonly kind: "link";
}

const HOST = String.raw`(?:localhost|\[[0-9a-f:.]+\]|(?:[\p{L}\p{N}_](?:[\p{L}\p{N}_-]*[\p{L}\p{N}])?\.)+[\p{L}\p{N}]+)`;
const REST = String.raw`(?::\d{1,5})?(?:[/?#][^\s<>"]*)?`;
const WHOLE = new RegExp(`^https?://${HOST}${REST}$`, "iu");
const EACH = new RegExp(`https?://${HOST}${REST}`, "giu");
/** What closes a sentence, not an address. */
const CLOSING = /[.,;:!?'*]+$/;

export const link: Kind<LinkSpec, string> = {
  kind: "link",
  summary: "The address of a page, beginning with http:// or https://.",
  keys: {},
  value: () =>
    z
      .string("must be an address that begins with http:// or https://")
      .check(z.refine((value) => WHOLE.test(value), "must be an address that begins with http:// or https://")),
  tell: () => "the address of a page, beginning with http:// or https://",
  tidy: (_spec, raw) => (typeof raw === "string" ? (linkIn(raw) ?? raw) : raw),
  fromCell: (_spec, cell) => {
    const found = linkIn(cell);
    return found === undefined ? misfit("is not an address that begins with http:// or https://") : fits(found);
  },
  toCell: (_spec, value) => value,
  typescript: () => "string",
  control: "line",
  settles: "fact",
  // Hosts are the same in capitals, and a page is the same with and without its last stroke.
  same: (truth, answer) => folded(truth) === folded(answer),
  usualTokens: () => 16,
  find: (_spec, text) => (text.match(EACH) ?? []).map(closed),
};

/** A link alone, in angle brackets, or as Markdown writes it; `undefined` for anything else. */
function linkIn(text: string): string | undefined {
  const bare = text.trim();
  const inside = /^\[[^\]]*\]\(([^()\s]+)\)$/.exec(bare)?.[1] ?? /^<([^<>\s]+)>$/.exec(bare)?.[1] ?? bare.replace(CLOSING, "");
  return WHOLE.test(inside) ? inside : undefined;
}

/** Without what closes the sentence, or the bracket, in which it stands. */
function closed(found: string): string {
  const bare = found.replace(CLOSING, "");
  return bare.endsWith(")") && !bare.includes("(") ? bare.slice(0, -1).replace(CLOSING, "") : bare;
}

function folded(address: string): string {
  const [, start = "", rest = ""] = /^(https?:\/\/[^/?#]*)(.*)$/i.exec(address) ?? [];
  return start.toLowerCase() + rest.replace(/\/$/, "");
}
