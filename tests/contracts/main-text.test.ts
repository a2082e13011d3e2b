import { describe, expect, it } from "vitest";
import { mainText } from "../../src/adapters/source-files/main-text.js";

const page = (head: string, body: string, address = "https://port.example/notices/list?x=1") =>
  mainText(Buffer.from(`<!doctype html><html><head><title>Notices</title>${head}</head><body>${body}</body></html>`), "utf-8", address);
const article = `<article>${"<p>The quay is closed for repairs until further notice, and ferries go from the north pier meanwhile.</p>".repeat(5)}</article>`;

describe("the main text of a page", () => {
  it.each([
    ["of its publication", `<meta property="article:published_time" content="2026-03-04T23:30:00Z">`, "", "2026-03-04"],
    ["by its name", `<meta name="date" content="2026-03-05">`, "", "2026-03-05"],
    ["of its data, anywhere in it", "", `<meta itemprop="datePublished" content="2026-03-06">`, "2026-03-06"],
    ["of a time in its text", "", `<time>today</time><time datetime="2026-03-07T10:00">7 March</time>`, "2026-03-07"],
    ["not of words that are no day", `<meta name="date" content="soon">`, "", undefined],
    ["of nothing else", `<meta name="dates" content="2026-03-08">`, "", undefined],
  ])("has the day that it states: %s", (_, head, body, day) => {
    expect(page(head, body + article).date).toBe(day);
  });

  it("leaves out what stands around it, and keeps its title", () => {
    const read = page("", `<nav>Home Imprint Search</nav>${article}<footer>All rights reserved</footer>`);
    expect(read.title).toBe("Notices");
    expect("pages" in read && read.pages[0]!.text).toMatch(/^The quay is closed/);
    expect(JSON.stringify(read.pages)).not.toMatch(/Imprint|rights/);
  });

  it("gives its links whole, each once, without those that lead nowhere on the web", () => {
    const links = [
      "/contact#top",
      "contact",
      "../up",
      "https://other.example/a",
      "/contact",
      "mailto:x@y.example",
      "javascript:0",
      "http://[",
      "?page=2",
    ];
    expect(page("", links.map((to) => `<a href="${to}">a</a>`).join("") + `<a>no way</a>${article}`).links).toEqual([
      "https://port.example/contact",
      "https://port.example/notices/contact",
      "https://port.example/up",
      "https://other.example/a",
      "https://port.example/notices/list?page=2",
    ]);
  });

  it("gives at most 200 links", () => {
    const all = Array.from({ length: 300 }, (_, n) => `<a href="/p${n}">${n}</a>`).join("");
    expect(page("", all + article).links).toHaveLength(200);
  });
});
