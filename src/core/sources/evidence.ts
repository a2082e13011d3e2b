import type { Json } from "../ground/index.js";
import { quotable, type Quotable } from "./find-quotation.js";
import type { Evidence, Spot } from "./spot.js";

/** A piece of an input's text. */
export interface InputText {
  readonly text: string;
  readonly at: Omit<Spot, "from" | "to" | "input">;
}

/** The texts of an input, each with its place in it. */
export function textsOf(value: Json | undefined): InputText[] {
  if (value === null || value === undefined) return [];
  // Pages of documents count themselves.
  if (Array.isArray(value) && value.length > 0 && value.every(isPage))
    return value.map(({ text, page, address }): InputText => ({
      text,
      at: { ...(page === null ? {} : { page }), ...(address === undefined ? {} : { address }) },
    }));
  if (Array.isArray(value))
    return value.flatMap((item, index) => textsOf(item).map(({ text, at }): InputText => ({ text, at: { ...at, row: index + 1 } })));
  if (typeof value === "object")
    return Object.entries(value).flatMap(([column, inner]) =>
      textsOf(inner).map(({ text, at }): InputText => ({ text, at: { ...at, column } })),
    );
  return [{ text: String(value), at: {} }];
}

/** A page of a document, as a question's inputs have it once it was opened. */
const isPage = (value: Json): value is { text: string; page: number | null; address?: string } =>
  value !== null &&
  typeof value === "object" &&
  !Array.isArray(value) &&
  "page" in value &&
  typeof value["text"] === "string" &&
  Object.keys(value).every((name) => name === "page" || name === "text" || name === "address");

/** The texts of a question in which quotations are looked for: `textsOf` of each input is folded once. */
export interface Quoted {
  /** The words where they stand first, inputs in the order of `inputs`. */
  find(quotation: string, inputs: readonly string[]): { readonly quote: string; readonly place: Spot } | undefined;
}

export function quotedFrom(given: Readonly<Record<string, Json | undefined>>): Quoted {
  const known = new Map<string, (InputText & { readonly words: Quotable })[]>();
  const passages = (input: string): (InputText & { readonly words: Quotable })[] => {
    let found = known.get(input);
    if (!found) {
      found = textsOf(given[input]).map((passage) => ({ ...passage, words: quotable(passage.text) }));
      known.set(input, found);
    }
    return found;
  };
  return {
    find: (quotation, inputs) => {
      for (const input of inputs)
        for (const { text, at, words } of passages(input)) {
          const span = words.find(quotation);
          if (span) return { quote: text.slice(span.from, span.to), place: { input, ...at, ...span } };
        }
      return undefined;
    },
  };
}

/** What stands around a quotation in its text. */
export interface Around {
  readonly before: string;
  readonly behind: string;
}

/**
 * The words before and behind a place, at most so many characters of each, from a word on; `undefined` where the input does not hold the
 * quotation there (any more).
 */
export function around(
  { quote, place }: Extract<Evidence, { quote: string }>,
  inputs: Readonly<Record<string, Json | undefined>>,
  chars = 160,
): Around | undefined {
  const text = textsOf(inputs[place.input]).find(
    ({ at }) => at.row === place.row && at.column === place.column && at.page === place.page,
  )?.text;
  if (text?.slice(place.from, place.to) !== quote) return undefined;
  const from = Math.max(0, place.from - chars);
  const to = Math.min(text.length, place.to + chars);
  const before = text.slice(from, place.from);
  const behind = text.slice(place.to, to);
  return {
    before: from === 0 ? before : `…${before.replace(/^\S*\s/, "")}`,
    behind: to === text.length ? behind : `${behind.replace(/\s\S*$/, "")}…`,
  };
}
