import * as z from "zod/mini";
import { choice } from "./choice.js";
import { choices } from "./choices.js";
import { date } from "./date.js";
import { document } from "./document.js";
import { email } from "./email.js";
import { image } from "./image.js";
import type { Kind, KindLookup } from "./kind.js";
import { legwork } from "./legwork.js";
import { link } from "./link.js";
import { list } from "./list.js";
import { number } from "./number.js";
import { page } from "./page.js";
import { record } from "./record.js";
import { rows } from "./rows.js";
import { score } from "./score.js";
import { text } from "./text.js";
import { yesNo } from "./yes-no.js";

/** Every kind, by its name. A new kind is its own file and one entry here. */
// Each kind knows its own spec; whoever looks one up by name hands it the spec of that name.
const KINDS = new Map<string, Kind>(
  [text, number, yesNo, date, choice, choices, score, email, link, list, record, rows, image, document, page, legwork].map((kind) => [
    kind.kind,
    kind as unknown as Kind,
  ]),
);

/** Those that a person may write. */
export const kindNames: readonly string[] = [...KINDS.values()].filter(({ isOwn }) => !isOwn).map(({ kind }) => kind);

export function hasKind(name: string): boolean {
  return kindNames.includes(name);
}

export const kindOf: KindLookup = (name) => {
  const kind = KINDS.get(name);
  if (!kind) throw new TypeError(`unknown kind ${name}`);
  return kind;
};

/** The schema of what a person may write for a kind; `extra` are the keys of the place where it stands. */
export function specSchema(kind: Kind, extra: z.core.$ZodLooseShape = {}): z.ZodMiniObject {
  return z.strictObject({ kind: z.literal(kind.kind), about: z.optional(z.string()), ...kind.keys, ...extra });
}
