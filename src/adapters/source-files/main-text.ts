import { Readability } from "@mozilla/readability";
import { parseHTML } from "linkedom";
import type { Opened } from "../../core/index.js";
import { decodeText } from "./decode.js";
import { charsetIn, checkDepth, elementText, htmlText, type HtmlNode } from "./html.js";

/** Fewer words than this are hardly the main text of a page that has many more. */
const LEAST = 140;
const MOST_LINKS = 200;

/** What a page of the web is about: its main text as Markdown, its title, the day that it states, its links. */
export function mainText(bytes: Uint8Array, charset: string | undefined, address: string): Opened {
  const html = decodeText(bytes, charset ?? charsetIn(bytes));
  checkDepth(html);
  const { document } = parseHTML(html);
  const date =
    metaOf(
      document,
      'meta[property="article:published_time"], meta[property="article:modified_time"], meta[name="date"], meta[itemprop="datePublished"]',
    ) ??
    document.querySelector("time[datetime]")?.getAttribute("datetime") ??
    undefined;
  const day = date !== undefined && !Number.isNaN(Date.parse(date)) ? date.slice(0, 10) : undefined;
  const links = linksOf(document, address);
  // The library changes what it reads.
  const article = new Readability<HtmlNode>(document as never, { charThreshold: LEAST, serializer: (node) => node as never }).parse();
  const main = article?.content ? elementText(article.content) : "";
  // A page of few words is taken whole: what is left out may be all that it says.
  const text = main.length >= LEAST ? main : htmlText(html);
  const title = (article?.title || document.querySelector("title")?.textContent || "").trim();
  return { title: title || undefined, date: day, pages: text === "" ? [] : [{ text }], pictures: [], notes: [], links };
}

interface Doc {
  querySelector(selector: string): { getAttribute(name: string): string | null; readonly textContent: string | null } | null;
  querySelectorAll(selector: string): Iterable<{ getAttribute(name: string): string | null }>;
}

const metaOf = (document: Doc, selector: string): string | undefined =>
  document.querySelector(selector)?.getAttribute("content") ?? undefined;

function linksOf(document: Doc, address: string): string[] {
  const found = new Set<string>();
  for (const link of document.querySelectorAll("a[href]")) {
    const to = link.getAttribute("href")!;
    if (!URL.canParse(to, address)) continue;
    const url = new URL(to, address);
    url.hash = "";
    if (/^https?:$/.test(url.protocol)) found.add(url.href);
    if (found.size >= MOST_LINKS) break;
  }
  return [...found];
}
