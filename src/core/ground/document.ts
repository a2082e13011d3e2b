import type { Place } from "./complaint.js";

export type Path = readonly (string | number)[];

/** A YAML file as its plain value, which still knows where each part of it stands. */
export interface SourceDocument {
  readonly file: string;
  readonly text: string;
  readonly value: unknown;
  /** Where the value at a path stands; for a path that does not exist, the nearest thing around it. */
  at(path: Path): Place;
  /** Where the key that ends the path stands. */
  atKey(path: Path): Place;
  /** The place `offset` characters into the text value at a path, when the file keeps that text as it is. */
  within(path: Path, line: number, column: number): Place;
}

/** A document for an object that came from code, not from a file: a place is the path to a value in it. */
export function documentOf(value: unknown, name: string): SourceDocument {
  const at = (path: Path): Place => ({ file: name, line: 1, column: 1, ...(path.length > 0 ? { path: path.join(".") } : {}) });
  return { file: name, text: "", value, at, atKey: at, within: at };
}
