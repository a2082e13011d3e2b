import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    email: string;
  }
  interface KindSpecs {
    email: EmailSpec;
  }
}

export interface EmailSpec extends AnySpec {
  readonly kind: "email";
}

const LOCAL = String.raw`[^\s@<>()[\]",;:]+`;
const DOMAIN = String.raw`(?:[\p{L}\p{N}](?:[\p{L}\p{N}-]*[\p{L}\p{N}])?\.)+\p{L}{2,}`;
const WHOLE = new RegExp(`^${LOCAL}@${DOMAIN}$`, "u");
const EACH = new RegExp(`${LOCAL}@${DOMAIN}`, "gu");

export const email: Kind<EmailSpec, string> = {
  kind: "email",
  summary: "An e-mail address, without a name around it.",
  keys: {},
  // It may begin like a formula.
  freeText: true,
  value: () => z.string("must be an e-mail address").check(z.refine((value) => WHOLE.test(value), "must be an e-mail address")),
  tell: () => "an e-mail address, nothing around it",
  tidy: (_spec, raw) => (typeof raw === "string" ? (addressIn(raw) ?? raw) : raw),
  fromCell: (_spec, cell) => {
    const address = addressIn(cell);
    return address === undefined ? misfit("is not an e-mail address") : fits(address);
  },
  toCell: (_spec, value) => value,
  typescript: () => "string",
  control: "line",
  settles: "fact",
  // Few hosts tell capitals apart, and none of a domain's.
  same: (truth, answer) => truth.toLowerCase() === answer.toLowerCase(),
  usualTokens: () => 8,
  find: (_spec, text) => (text.match(EACH) ?? []).map((found) => found.replace(/^\W+/, "")).filter((found) => WHOLE.test(found)),
};

/** `ana@example.org`, `mailto:ana@example.org`, `Ana Li <ana@example.org>`; `undefined` for anything else. */
function addressIn(text: string): string | undefined {
  const bare = text.trim();
  const named = /^[^<>@]*<([^<>]+)>$/.exec(bare)?.[1] ?? bare;
  const address = named
    .trim()
    .replace(/^mailto:/i, "")
    .replace(/[.,;]+$/, "");
  return WHOLE.test(address) ? address : undefined;
}
