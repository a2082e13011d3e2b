import fc from "fast-check";
import { parseHTML } from "linkedom";
import { beforeAll, describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { ask } from "../asking/index.js";
import { prepare, template } from "../template/index.js";
import { htmlOfMarkdown, markupNeeded, markupReady, wordsOfHtml } from "./markup.js";

beforeAll(async () => {
  markupNeeded();
  await markupReady();
});

// prettier-ignore
const TAGS = new Set(["p", "br", "hr", "strong", "em", "s", "a", "ul", "ol", "li", "blockquote", "pre", "code", "h1", "h2", "h3", "h4", "h5", "h6", "table", "thead", "tbody", "tr", "th", "td"]);
const ATTRIBUTES: Readonly<Record<string, readonly string[]>> = {
  a: ["href", "title", "rel"],
  ol: ["start"],
  code: ["class"],
  th: ["style"],
  td: ["style"],
};

/** All that could do harm in a page, as an independent parser reads it. */
function harm(html: string): string[] {
  const { document } = parseHTML(`<!doctype html><html><body>${html}</body></html>`);
  const found: string[] = [];
  for (const element of document.querySelectorAll("body *")) {
    const name = element.tagName.toLowerCase();
    if (!TAGS.has(name)) found.push(`<${name}>`);
    for (const { name: attribute, value } of element.attributes) {
      if (!ATTRIBUTES[name]?.includes(attribute)) found.push(`${name} ${attribute}`);
      if (attribute === "href" && value !== "" && !/^(?:https?:\/\/|mailto:)/i.test(value)) found.push(`href ${value}`);
      if (attribute === "style" && !/^text-align:(?:left|right|center)$/.test(value)) found.push(`style ${value}`);
    }
  }
  return found;
}

describe("Markdown as HTML", () => {
  it("has its structure, and links that say nothing of who followed them", () => {
    expect(htmlOfMarkdown("## Pump\n\nIt **leaks**:\n\n- oil\n- water\n\n[log](https://example.com/a?b=1&c=2)")).toBe(
      '<h2>Pump</h2>\n<p>It <strong>leaks</strong>:</p>\n<ul>\n<li>oil</li>\n<li>water</li>\n</ul>\n<p><a href="https://example.com/a?b=1&amp;c=2" rel="nofollow noopener noreferrer">log</a></p>',
    );
    expect(htmlOfMarkdown("| a | b |\n|---|--:|\n| 1 | 2 |")).toMatch(/<td style="text-align:right">2<\/td>/);
  });

  it.each([
    "<script>alert(1)</script>",
    "<img src=x onerror=alert(1)>",
    "[x](javascript:alert(1))",
    "[x](JaVaScRiPt:alert(1))",
    "[x](&#106;avascript:alert(1))",
    "[x](java\nscript:alert(1))",
    "[x](data:text/html;base64,PHNjcmlwdD4=)",
    "[x](vbscript:msgbox)",
    "[x](//evil.example/x)",
    "![picture](https://evil.example/p.png)",
    '<https://a.example/"onmouseover=alert(1)>',
    '[x](https://a.example "onmouseover=alert(1)")',
    "[a]: javascript:alert(1)\n\n[a]",
    "```html\n</code></pre><script>alert(1)</script>\n```",
    '``` "><svg/onload=alert(1)>\nx\n```',
    "<!-- --><style>body{display:none}</style>",
    "| <b onclick=x> |\n|---|\n| <iframe src=//x> |",
  ])("does no harm: %s", (text) => {
    expect(harm(htmlOfMarkdown(text))).toEqual([]);
  });

  it("does no harm whatever is written", () => {
    const piece = fc.constantFrom(
      "<",
      ">",
      '"',
      "'",
      "`",
      "[",
      "](",
      ")",
      "!",
      "javascript:",
      "https://a.example/",
      "on=",
      "\n",
      "\n\n",
      "| ",
      "- ",
      "&lt;",
      "&#x3c;",
      "\\",
      "script",
      "img",
      "svg",
      "a",
      " ",
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => harm(htmlOfMarkdown(pieces.join(""))).length === 0),
      { numRuns: 1_000 },
    );
  });

  it("gives its words back", () => {
    expect(wordsOfHtml(htmlOfMarkdown("It **leaks** & drips.\n\n- oil < 1 l\n- water"))).toBe("It leaks & drips.\n\noil < 1 l\nwater");
  });
});

it("a text with `markup: html` is asked for as Markdown, held to its limits as such, and kept as HTML", async () => {
  const note = template({
    name: "note",
    inputs: { words: { kind: "text" } },
    task: "{{ words }}",
    answer: { note: { kind: "text", markup: "html", maxChars: 40 }, lines: { kind: "list", of: { kind: "text", markup: "html" } } },
  });
  expect(
    prepare(note)
      .render({ words: "x" })
      .map((message) => JSON.stringify(message))
      .join(),
  ).toMatch(/Markdown text, at most 40 characters/);
  const model = scriptedModel(() => JSON.stringify({ note: "It **leaks** <b>now</b>.", lines: ["*one*", "two"] }));
  const { state, parts } = await ask(note, { words: "x" }, { model, clock: fakeClock() });
  expect({ state, parts }).toEqual({
    state: "answered",
    parts: { note: "<p>It <strong>leaks</strong> &lt;b&gt;now&lt;/b&gt;.</p>", lines: ["<p><em>one</em></p>", "<p>two</p>"] },
  });
});
