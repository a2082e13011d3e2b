import type { Json } from "../ground/index.js";
import type { Span } from "./find-quotation.js";

/** Where words stand: in which input, in which row or item of it, in which page of a document; characters count from 0. */
export interface Spot extends Span {
  readonly input: string;
  /** The row of related rows, or the item of a list, from 1. */
  readonly row?: number | undefined;
  /** The row's column. */
  readonly column?: string | undefined;
  /** The page of a document, from 1; of what was looked up, the number of the source. */
  readonly page?: number | undefined;
  /** Where it was found, of what was looked up. */
  readonly address?: string | undefined;
}

/** The words of an input that carry a part of an answer; or what was given for some, and is not there. */
export type Evidence =
  | {
      readonly found: "atOnce" | "mended";
      /** As it stands in the input. */
      readonly quote: string;
      readonly place: Spot;
    }
  | {
      readonly found: "never";
      /** What the model gave as a quotation. */
      readonly said: string;
      /** What it gave for the part, which is blank now. */
      readonly value: Json;
    };

/** A place in words, as a column holds it: `row 3, said, characters 5 to 20`, counted from 1. */
export function placeWords({ row, column, page, address, from, to }: Spot): string {
  return [
    ...(row === undefined ? [] : [`row ${row}`]),
    ...(column === undefined ? [] : [column]),
    ...(page === undefined ? [] : [address === undefined ? `page ${page}` : `source ${page}`]),
    `characters ${from + 1} to ${to}`,
  ].join(", ");
}
