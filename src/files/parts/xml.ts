/** A tag with where it stands in the part's text. */
export interface Tag {
  /** Without its prefix. */
  readonly name: string;
  /** As written. */
  readonly qualified: string;
  /** The whole tag as it stands. */
  readonly source: string;
  readonly start: number;
  readonly end: number;
  readonly selfClosing: boolean;
}

/** A part that is not well-formed XML, or has what a workbook may not have. */
export class XmlFault extends Error {
  override readonly name = "XmlFault";
}

export interface Handlers {
  open?(tag: Tag): void;
  /** Of every element, self-closing ones included; `end` is where its last tag ends. */
  close?(name: string, end: number): void;
  /** All text between two tags at once, entities resolved. */
  text?(text: string): void;
}

const SPACE = 32;
const QUOTE = 34;
const APOSTROPHE = 39;
const SLASH = 47;
const GREATER = 62;

/**
 * Goes through XML in pieces and tells where each tag stands, so that a part can be changed at some places and stay as it
 * is everywhere else. XML parsers give the values, not the places; this one gives both, and makes no
 * map of every tag's attributes. Offsets count from the part's first character.
 */
export class XmlScanner {
  /** Text before this offset is no longer needed. */
  keepFrom = 0;
  #window = "";
  #base = 0;
  /** What comes next in the window. */
  #at = 0;
  readonly #open: string[] = [];
  #seen = false;

  constructor(readonly handlers: Handlers) {}

  write(text: string): void {
    const needed = Math.min(this.keepFrom - this.#base, this.#at);
    this.#window = needed >= this.#window.length ? text : this.#window.slice(needed) + text;
    this.#base += needed;
    this.#at -= needed;
    while (this.#step());
  }

  finish(): void {
    if (this.#open.length > 0 || !this.#seen || this.#window.slice(this.#at).trim() !== "") throw new XmlFault("it breaks off");
  }

  /** The part's text between two offsets. */
  slice(from: number, to: number): string {
    return this.#window.slice(from - this.#base, to - this.#base);
  }

  /** Where the text that has been read ends. */
  get end(): number {
    return this.#base + this.#window.length;
  }

  /** Takes the next tag with the text before it; false when it is not whole yet. */
  #step(): boolean {
    const window = this.#window;
    const start = window.indexOf("<", this.#at);
    if (start < 0 || start + 1 >= window.length) return false;
    const mark = window[start + 1];
    if (mark === "!" || mark === "?") return this.#special(start, mark);
    const end = mark === "/" ? window.indexOf(">", start) : tagEnd(window, start);
    if (end < 0) return false;
    if (start > this.#at && this.handlers.text) this.handlers.text(decoded(window.slice(this.#at, start)));
    this.#at = end + 1;
    if (mark === "/") this.#close(window.slice(start + 2, end).trimEnd(), end + 1);
    else this.#begin(window.slice(start, end + 1), start);
    return true;
  }

  #begin(source: string, start: number): void {
    let nameEnd = 1;
    for (let code = source.charCodeAt(nameEnd); code > SPACE && code !== SLASH && code !== GREATER; code = source.charCodeAt(++nameEnd));
    const qualified = source.slice(1, nameEnd);
    if (qualified === "") throw new XmlFault("a tag has no name");
    if (this.#open.length === 0 && this.#seen) throw new XmlFault("it has two roots");
    this.#seen = true;
    const selfClosing = source.charCodeAt(source.length - 2) === SLASH;
    const name = localName(qualified);
    const end = this.#base + start + source.length;
    this.handlers.open?.({ name, qualified, source, start: this.#base + start, end, selfClosing });
    if (selfClosing) this.handlers.close?.(name, end);
    else this.#open.push(qualified);
  }

  #close(qualified: string, end: number): void {
    if (this.#open.pop() !== qualified) throw new XmlFault("a tag is closed that was not opened");
    this.handlers.close?.(localName(qualified), this.#base + end);
  }

  #special(start: number, mark: string): boolean {
    const window = this.#window;
    const rest = window.length - start;
    const kind = mark === "?" ? "?>" : window.startsWith("<!--", start) ? "-->" : window.startsWith("<![CDATA[", start) ? "]]>" : undefined;
    if (kind === undefined) {
      if (rest < "<![CDATA[".length) return false;
      throw new XmlFault("a document type is not allowed in a workbook");
    }
    const end = window.indexOf(kind, start + (kind === "-->" ? 4 : 2));
    if (end < 0) return false;
    if (start > this.#at) this.handlers.text?.(decoded(window.slice(this.#at, start)));
    if (kind === "]]>") this.handlers.text?.(window.slice(start + "<![CDATA[".length, end));
    this.#at = end + kind.length;
    return true;
  }
}

/** Where an opening tag ends; a `>` may stand in a value. */
function tagEnd(text: string, start: number): number {
  for (let at = start + 1; ;) {
    const end = text.indexOf(">", at);
    if (end < 0) return -1;
    let quote = 0;
    for (let i = at; i < end; i++) {
      const code = text.charCodeAt(i);
      if (code === QUOTE || code === APOSTROPHE) {
        const close = text.indexOf(code === QUOTE ? '"' : "'", i + 1);
        if (close < 0) return -1;
        i = close;
        quote = close;
      }
    }
    if (quote < end) return end;
    at = quote + 1;
  }
}

/** All tags of a small part, in order; closing ones not. */
export function tagsOf(text: string): Tag[] {
  const tags: Tag[] = [];
  const scanner = new XmlScanner({ open: (tag) => void tags.push(tag) });
  scanner.write(text.replace(/^\ufeff/, ""));
  scanner.finish();
  return tags;
}

export function localName(name: string): string {
  const colon = name.indexOf(":");
  return colon < 0 ? name : name.slice(colon + 1);
}

/** An attribute by its name; by its name without prefix where there is none of just that name. */
export function attribute({ source, qualified }: Tag, name: string): string | undefined {
  let prefixed: string | undefined;
  for (let at = qualified.length + 1; at < source.length;) {
    const equals = source.indexOf("=", at);
    if (equals < 0) break;
    let from = equals + 1;
    while (source.charCodeAt(from) <= SPACE) from++;
    const to = source.indexOf(source[from]!, from + 1);
    if (to < 0) break;
    const own = source.slice(at, equals).trim();
    if (own === name) return decoded(source.slice(from + 1, to));
    if (own.endsWith(`:${name}`) && !own.startsWith("xmlns:")) prefixed = decoded(source.slice(from + 1, to));
    at = to + 1;
  }
  return prefixed;
}

const ENTITIES: Readonly<Record<string, string>> = { lt: "<", gt: ">", amp: "&", quot: '"', apos: "'" };

function decoded(text: string): string {
  // Line ends are one character (XML 1.0, 2.11).
  const lines = text.includes("\r") ? text.replace(/\r\n?/g, "\n") : text;
  if (!lines.includes("&")) return lines;
  return lines.replace(/&(?:#x([0-9a-fA-F]+)|#(\d+)|(\w+));/g, (whole, hex?: string, decimal?: string, name?: string) => {
    if (name !== undefined) return ENTITIES[name] ?? whole;
    const code = hex === undefined ? Number(decimal) : parseInt(hex, 16);
    return code <= 0x10ffff ? String.fromCodePoint(code) : whole;
  });
}

/** `x:` of `x:row`, empty without. */
export const prefixOf = (qualified: string): string => qualified.slice(0, qualified.indexOf(":") + 1);

export const escapeText = (text: string): string =>
  text.replace(/[&<>]/g, (char) => (char === "&" ? "&amp;" : char === "<" ? "&lt;" : "&gt;"));
export const escapeAttribute = (text: string): string =>
  escapeText(text)
    .replace(/"/g, "&quot;")
    .replace(/[\n\r\t]/g, (char) => `&#${char.charCodeAt(0)};`);

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
