import MiniSearch from "minisearch";
import type { SiteFiles } from "./site-files.js";

export const SEARCH_HOST = "search.example";

interface Page {
  readonly address: string;
  readonly title: string;
  readonly text: string;
}

/** Answers searches over the pages of the small web, as an engine does that speaks OpenSearch: Atom, RSS, or JSON. */
export function searchService(sites: SiteFiles): (url: URL) => { readonly type: string; readonly body: string } | undefined {
  let index: MiniSearch | undefined;
  const pages = new Map<string, Page>();
  const open = (): MiniSearch => {
    if (index) return index;
    index = new MiniSearch({ idField: "address", fields: ["title", "text"], searchOptions: { boost: { title: 2 }, prefix: true } });
    for (const { address, html } of sites.all()) {
      if (sites.ways(new URL(address).host).robots) continue;
      const page = { address, title: /<title>(.*?)<\/title>/s.exec(html)?.[1]?.trim() ?? address, text: wordsOf(html) };
      pages.set(address, page);
      index.add(page);
    }
    return index;
  };
  return ({ pathname, searchParams }) => {
    if (pathname === "/opensearch.xml") return { type: "application/opensearchdescription+xml", body: DESCRIPTION };
    if (!/^\/(atom|rss|json)$/.test(pathname)) return undefined;
    const count = Math.min(50, Math.max(1, Number(searchParams.get("count") ?? 10) || 10));
    const found = open()
      .search(searchParams.get("q") ?? "")
      .slice(0, count)
      .map(({ id }) => pages.get(id as string)!);
    return FORMS[pathname.slice(1) as keyof typeof FORMS](found);
  };
}

const FORMS = {
  atom: (found: readonly Page[]) => ({
    type: "application/atom+xml",
    body: `<?xml version="1.0" encoding="utf-8"?>\n<feed xmlns="http://www.w3.org/2005/Atom"><title>Found</title>${found
      .map(
        ({ address, title, text }) =>
          `<entry><title>${escaped(title)}</title><link href="${escaped(address)}"/><summary>${escaped(text.slice(0, 160))}</summary></entry>`,
      )
      .join("")}</feed>`,
  }),
  rss: (found: readonly Page[]) => ({
    type: "application/rss+xml",
    body: `<?xml version="1.0"?><rss version="2.0"><channel><title>Found</title>${found
      .map(
        ({ address, title, text }) =>
          `<item><title>${escaped(title)}</title><link>${escaped(address)}</link><description>${escaped(text.slice(0, 160))}</description></item>`,
      )
      .join("")}</channel></rss>`,
  }),
  json: (found: readonly Page[]) => ({
    type: "application/json",
    body: JSON.stringify({
      hits: found.map(({ address, title, text }) => ({ page: { href: address }, name: title, about: text.slice(0, 160) })),
    }),
  }),
};

const DESCRIPTION = `<?xml version="1.0" encoding="UTF-8"?>
<OpenSearchDescription xmlns="http://a9.com/-/spec/opensearch/1.1/">
  <ShortName>Stand-in</ShortName>
  <Description>Searches the stand-in's small web.</Description>
  <Url type="application/atom+xml" template="http://${SEARCH_HOST}/atom?q={searchTerms}&amp;count={count?}"/>
  <Url type="application/rss+xml" template="http://${SEARCH_HOST}/rss?q={searchTerms}&amp;count={count?}"/>
</OpenSearchDescription>
`;

const escaped = (text: string): string => text.replace(/[&<>"]/g, (char) => `&#${char.charCodeAt(0)};`);

const wordsOf = (html: string): string =>
  (/<main>([\s\S]*)<\/main>/.exec(html)?.[1] ?? html)
    .replace(/<[^>]*>/g, " ")
    .replace(/\s+/g, " ")
    .trim();
