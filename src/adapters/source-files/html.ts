import { parseHTML } from "linkedom";
import { NodeHtmlMarkdown } from "node-html-markdown";
import { MOST_DEPTH, Unreadable } from "./limits.js";

const VOID = /^(area|base|br|col|embed|hr|img|input|link|meta|param|source|track|wbr)$/i;

/** How deep elements stand in each other, counted without building them: parsers of HTML hang on what is nested without end. */
export function depthOf(html: string): number {
  let depth = 0;
  let deepest = 0;
  for (const [, close, name, self] of html.matchAll(/<(\/?)([a-z][\w-]*)(?:"[^"]*"|'[^']*'|[^'">])*?(\/?)>/gi)) {
    if (self || VOID.test(name!)) continue;
    if (close) depth = Math.max(0, depth - 1);
    else deepest = Math.max(deepest, ++depth);
  }
  return deepest;
}

export function checkDepth(html: string): void {
  if (depthOf(html) > MOST_DEPTH) throw new Unreadable(`has elements nested more than ${MOST_DEPTH} deep`);
}

/** The encoding that a page names in itself. */
export const charsetIn = (bytes: Uint8Array): string | undefined =>
  /<meta[^>]+charset\s*=\s*["']?([\w-]+)/i.exec(Buffer.from(bytes.subarray(0, 2048)).toString("latin1"))?.[1];

/** One for all: making it costs as much as a page. It keeps nothing of what it has read. */
const markdown = new NodeHtmlMarkdown();

/** The library's time grows with the square of a text: longer ones are read in pieces of about so much. */
const PIECE_CHARS = 4_000;
const LONG_CHARS = 60_000;
/** Elements that say nothing themselves, so that what is in them can be read piece by piece. */
const CONTAINERS = new Set("BODY MAIN ARTICLE SECTION DIV HEADER FOOTER ASIDE CENTER FORM".split(" "));
/** Elements behind which a piece may end. */
const BLOCKS = new Set([...CONTAINERS, ..."P H1 H2 H3 H4 H5 H6 UL OL DL TABLE BLOCKQUOTE PRE FIGURE HR ADDRESS NAV".split(" ")]);
const DEEPEST_CONTAINER = 30;
const ELEMENT = 1;
const TEXT = 3;

/** What is needed of an element and of what is in it. */
export interface HtmlNode {
  readonly nodeType: number;
  readonly nodeName: string;
  readonly childNodes: Iterable<HtmlNode>;
  /** Its HTML. */
  toString(): string;
}

/** HTML as Markdown: headings, lists, links and tables stay, scripts and styles do not. */
export function htmlText(html: string): string {
  checkDepth(html);
  const bare = bareHtml(html);
  if (bare.length < LONG_CHARS) return tidy(markdown.translate(bare));
  const { document } = parseHTML(/<body\b/i.test(bare) ? bare : `<!doctype html><html><body>${bare}</body></html>`);
  return elementText(document.body as unknown as HtmlNode); // a browser's types, of which this is part
}

/** The same of an element that is parsed already. */
export function elementText(element: HtmlNode): string {
  const texts = [...piecesOf(element, 0)].map((piece) => markdown.translate(bareHtml(piece)).trim());
  return tidy(texts.filter((text) => text !== "").join("\n\n"));
}

function* piecesOf(element: HtmlNode, depth: number): Generator<string> {
  let piece = "";
  for (const child of element.childNodes) {
    const html = child.nodeType === ELEMENT || child.nodeType === TEXT ? child.toString() : "";
    const name = child.nodeName.toUpperCase();
    if (html.length > PIECE_CHARS && CONTAINERS.has(name) && depth < DEEPEST_CONTAINER) {
      yield piece;
      piece = "";
      yield* piecesOf(child, depth + 1);
    } else {
      piece += html;
      if (piece.length <= PIECE_CHARS || !BLOCKS.has(name)) continue;
      yield piece;
      piece = "";
    }
  }
  yield piece;
}

const bareHtml = (html: string): string =>
  html.replace(/<(script|style|noscript|template|svg|title)\b[\s\S]*?<\/\1\s*>/gi, " ").replace(/<img\b[^>]*>/gi, " ");

/** Signs stand for themselves here: nobody renders this, and it is quoted from letter by letter. */
const tidy = (text: string): string =>
  text
    .replace(/\\([\\`*_{}[\]()#+\-.!|<>~])/g, "$1")
    .replace(/\n{3,}/g, "\n\n")
    .trim();
