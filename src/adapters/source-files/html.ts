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

/** HTML as Markdown: headings, lists, links and tables stay, scripts and styles do not. */
export function htmlText(html: string): string {
  checkDepth(html);
  const bare = html.replace(/<(script|style|noscript|template|svg|title)\b[\s\S]*?<\/\1\s*>/gi, " ").replace(/<img\b[^>]*>/gi, " ");
  return (
    NodeHtmlMarkdown.translate(bare)
      // Signs stand for themselves here: nobody renders this, and it is quoted from letter by letter.
      .replace(/\\([\\`*_{}[\]()#+\-.!|<>~])/g, "$1")
      .replace(/\n{3,}/g, "\n\n")
      .trim()
  );
}
