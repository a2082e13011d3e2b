import type MarkdownIt from "markdown-it";
import { YoroshiError } from "./errors.js";

/** Loaded when a text that becomes HTML is first met. */
let renderer: MarkdownIt | undefined;
let isNeeded = false;

/** Says that Markdown will be rendered, so that `markupReady` loads what does it. */
export function markupNeeded(): void {
  isNeeded = true;
}

/** Resolves when Markdown can be rendered; to be awaited before an answer is read. */
export async function markupReady(): Promise<void> {
  if (!isNeeded || renderer) return;
  const { default: Markdown } = await import("markdown-it");
  const made = new Markdown({ html: false, linkify: false, typographer: false });
  // A picture would tell a stranger who reads the record; its words stay as a link's do.
  made.disable("image");
  made.validateLink = (address) => /^(?:https?:\/\/|mailto:)/i.test(address.trim());
  made.renderer.rules["link_open"] = (tokens, index, options, _env, self) => {
    tokens[index]!.attrSet("rel", "nofollow noopener noreferrer");
    return self.renderToken(tokens, index, options);
  };
  renderer = made;
}

/**
 * Markdown (CommonMark, with tables) as HTML that is safe to put into a page: HTML in it is text, links go to web and mail addresses only,
 * pictures are links.
 *
 * @throws YoroshiError `misuse` where `markupReady` was not awaited.
 */
export function htmlOfMarkdown(text: string): string {
  if (!renderer) throw new YoroshiError("misuse", { problem: "Markdown is rendered before it is loaded. Await markupReady() first." });
  return renderer.render(text).trim();
}

const ENTITIES: Readonly<Record<string, string>> = { amp: "&", lt: "<", gt: ">", quot: '"', "#39": "'" };

/** The words of such HTML. */
export const wordsOfHtml = (html: string): string =>
  html
    .replace(/<\/(?:p|li|h[1-6]|tr|blockquote|pre)>\s*/g, "\n")
    .replace(/<[^>]*>/g, "")
    .replace(/&(amp|lt|gt|quot|#39);/g, (_, name: string) => ENTITIES[name]!)
    .trim();
