import { SaxesParser } from "saxes";
import type { Hit } from "../../core/index.js";

/** The entries of a feed, Atom (RFC 4287) or RSS 2.0; `undefined` for what is neither. */
export function readFeed(xml: string): Hit[] | undefined {
  const hits: Hit[] = [];
  let entry: { address: string; title: string; summary: string } | undefined;
  let field: "address" | "title" | "summary" | undefined;
  let isFeed = false;
  const parser = new SaxesParser();
  parser.on("opentag", ({ name, attributes }) => {
    const own = name.replace(/^.*:/, "");
    if (own === "feed" || own === "rss" || own === "RDF") isFeed = true;
    if (own === "entry" || own === "item") entry = { address: "", title: "", summary: "" };
    if (!entry) return;
    field = own === "title" ? "title" : /^(summary|description|content)$/.test(own) ? "summary" : own === "link" ? "address" : undefined;
    const href = attributes["href"];
    if (own === "link" && typeof href === "string" && (attributes["rel"] ?? "alternate") === "alternate") entry.address = href;
  });
  const add = (text: string): void => {
    if (entry && field) entry[field] += text;
  };
  parser.on("text", add);
  parser.on("cdata", add);
  parser.on("closetag", ({ name }) => {
    field = undefined;
    if (!/(^|:)(entry|item)$/.test(name) || !entry) return;
    const { address, title, summary } = entry;
    if (/^https?:\/\//i.test(address.trim()))
      hits.push({ address: address.trim(), title: title.trim(), summary: summary.replace(/<[^>]*>/g, " ").trim() });
    entry = undefined;
  });
  try {
    parser.write(xml).close();
  } catch {
    return isFeed && hits.length > 0 ? hits : undefined;
  }
  return isFeed ? hits : undefined;
}

/** An engine's way to be asked, of its OpenSearch description (1.1): its address with placeholders, Atom before RSS. */
export function readDescription(xml: string): string | undefined {
  const found = new Map<string, string>();
  const parser = new SaxesParser();
  parser.on("opentag", ({ name, attributes }) => {
    const { type, template, method = "get" } = attributes as Record<string, string>;
    if (/(^|:)Url$/.test(name) && type && template && method.toLowerCase() === "get" && !found.has(type)) found.set(type, template);
  });
  try {
    parser.write(xml).close();
  } catch {
    return undefined;
  }
  return found.get("application/atom+xml") ?? found.get("application/rss+xml");
}

/** An address of a template with placeholders: words and count are put in, what else may be left out is. */
export function filledIn(template: string, words: string, count: number): string | undefined {
  const known: Readonly<Record<string, string>> = {
    searchTerms: encodeURIComponent(words),
    count: String(count),
    startIndex: "1",
    startPage: "1",
    inputEncoding: "UTF-8",
    outputEncoding: "UTF-8",
    language: "*",
  };
  let isWhole = true;
  const address = template.replace(/\{([\w:]+)(\??)\}/g, (_, name: string, optional: string) => {
    const value = known[name];
    if (value === undefined && optional === "") isWhole = false;
    return value ?? "";
  });
  return isWhole ? address : undefined;
}
