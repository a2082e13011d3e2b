import { SaxesParser } from "saxes";

/** A tag with where it stands in the part's text. */
export interface Tag {
  /** Without its prefix. */
  readonly name: string;
  /** As written. */
  readonly qualified: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly start: number;
  readonly end: number;
  readonly selfClosing: boolean;
}

export interface Handlers {
  open?(tag: Tag): void;
  /** Of every element, self-closing ones included; then `start` is where its tag ends. */
  close?(name: string, start: number, end: number): void;
  text?(text: string): void;
}

/**
 * Reads XML in pieces and tells where each tag stands, so that a part can be changed at some places and stay as it is
 * everywhere else. Offsets count from the part's first character.
 */
export class XmlScanner {
  /** Text before this offset is no longer needed. */
  keepFrom = 0;
  #window = "";
  #base = 0;
  readonly #parser: SaxesParser;

  constructor(handlers: Handlers) {
    const parser = new SaxesParser({ xmlns: false, position: false });
    parser.on("opentag", ({ name, attributes, isSelfClosing }) => {
      const end = parser.position;
      handlers.open?.({ name: localName(name), qualified: name, attributes: attributes as Record<string, string>, start: this.#tagStart(end), end, selfClosing: isSelfClosing });
    });
    parser.on("closetag", ({ name, isSelfClosing }) => {
      const end = parser.position;
      handlers.close?.(localName(name), isSelfClosing ? end : this.#tagStart(end), end);
    });
    if (handlers.text) {
      parser.on("text", (text) => handlers.text!(text));
      parser.on("cdata", (text) => handlers.text!(text));
    }
    parser.on("doctype", () => {
      throw new Error("a document type is not allowed in a workbook");
    });
    parser.on("error", (error) => {
      throw error;
    });
    this.#parser = parser;
  }

  write(text: string): void {
    this.#window = this.#window.slice(this.keepFrom - this.#base) + text;
    this.#base = this.keepFrom;
    this.#parser.write(text);
  }

  finish(): void {
    this.#parser.close();
  }

  /** The part's text between two offsets. */
  slice(from: number, to: number): string {
    return this.#window.slice(from - this.#base, to - this.#base);
  }

  /** Where the text that has been read ends. */
  get end(): number {
    return this.#base + this.#window.length;
  }

  /** A `<` cannot stand inside a tag, not even in a value. */
  #tagStart(end: number): number {
    return this.#base + this.#window.lastIndexOf("<", end - this.#base - 1);
  }
}

/** All tags of a small part, in order; closing ones not. */
export function tagsOf(text: string): Tag[] {
  const tags: Tag[] = [];
  const scanner = new XmlScanner({ open: (tag) => tags.push(tag) });
  scanner.write(text);
  scanner.finish();
  return tags;
}

export function localName(name: string): string {
  return name.slice(name.indexOf(":") + 1);
}

/** An attribute by its name without prefix. */
export function attribute(tag: Tag, name: string): string | undefined {
  const own = tag.attributes[name];
  if (own !== undefined) return own;
  const prefixed = Object.keys(tag.attributes).find((key) => localName(key) === name && key !== name && !key.startsWith("xmlns:"));
  return prefixed === undefined ? undefined : tag.attributes[prefixed];
}

/** `x:` of `x:row`, empty without. */
export const prefixOf = (qualified: string): string => qualified.slice(0, qualified.indexOf(":") + 1);

export const escapeText = (text: string): string => text.replace(/[&<>]/g, (char) => (char === "&" ? "&amp;" : char === "<" ? "&lt;" : "&gt;"));
export const escapeAttribute = (text: string): string => escapeText(text).replace(/"/g, "&quot;").replace(/[\n\r\t]/g, (char) => `&#${char.charCodeAt(0)};`);

/** A tag's source with an attribute set to another value, or added. */
export function withAttribute(source: string, name: string, value: string): string {
  const found = new RegExp(`(\\s${name}\\s*=\\s*)("[^"]*"|'[^']*')`).exec(source);
  if (found) return `${source.slice(0, found.index)}${found[1]}"${escapeAttribute(value)}"${source.slice(found.index + found[0].length)}`;
  return source.replace(/\s*(\/?>)$/, ` ${name}="${escapeAttribute(value)}"$1`);
}

/** Puts texts in the place of parts of a text. */
export function edited(text: string, edits: readonly { readonly start: number; readonly end: number; readonly text: string }[]): string {
  let out = "";
  let at = 0;
  for (const edit of edits.toSorted((a, b) => a.start - b.start)) {
    out += text.slice(at, edit.start) + edit.text;
    at = edit.end;
  }
  return out + text.slice(at);
}
