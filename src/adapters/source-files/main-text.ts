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
  const date = dateOf(document);
  const day = date !== undefined && !Number.isNaN(Date.parse(date)) ? date.slice(0, 10) : undefined;
  const links = linksOf(document, address);
  // The library changes what it reads.
  const article = new Readability<HtmlNode>(document as never, { charThreshold: LEAST, serializer: (node) => node as never }).parse();
  const main = article?.content ? elementText(article.content) : "";
  // A page of few words is taken whole: what is left out may be all that it says.
  const text = main.length >= LEAST ? main : htmlText(html);
  const title = (article?.title || firstOf(document, "title")?.textContent || "").trim();
  return { title: title || undefined, date: day, pages: text === "" ? [] : [{ text }], pictures: [], notes: [], links };
}

interface Element {
  getAttribute(name: string): string | null;
  readonly textContent: string | null;
}

/** By the names of tags, which is several times faster than by selectors. */
interface Doc {
  getElementsByTagName(name: string): Iterable<Element>;
}

const firstOf = (document: Doc, name: string): Element | undefined => [...document.getElementsByTagName(name)][0];

/** Where pages state their day; the first of them that is there. */
const DATES = [
  ["property", "article:published_time"],
  ["property", "article:modified_time"],
  ["name", "date"],
  ["itemprop", "datePublished"],
] as const;

function dateOf(document: Doc): string | undefined {
  const stated = [...document.getElementsByTagName("meta")].find((meta) =>
    DATES.some(([attribute, value]) => meta.getAttribute(attribute) === value),
  );
  if (stated) return stated.getAttribute("content") ?? undefined;
  const times = [...document.getElementsByTagName("time")].map((time) => time.getAttribute("datetime"));
  return times.find((time) => time !== null) ?? undefined;
}

function linksOf(document: Doc, address: string): string[] {
  const found = new Set<string>();
  const base = parsed(address);
  for (const link of document.getElementsByTagName("a")) {
    const to = link.getAttribute("href");
    const url = to === null ? undefined : parsed(to, base);
    if (!url || !/^https?:$/.test(url.protocol)) continue;
    url.hash = "";
    found.add(url.href);
    if (found.size >= MOST_LINKS) break;
  }
  return [...found];
}

function parsed(to: string, base?: URL): URL | undefined {
  try {
    return new URL(to, base);
  } catch {
    return undefined;
  }
}
