/** Text that is HTML already; everything else is escaped when it is put into a page. */
export class Html {
  constructor(readonly source: string) {}
}

export type Part = string | number | Html | null | undefined | false | readonly Part[];

/** Puts values into HTML: text is escaped, `Html` and lists of it stand as they are. */
export function html(strings: TemplateStringsArray, ...parts: readonly Part[]): Html {
  return new Html(strings.reduce((whole, text, index) => whole + text + (index < parts.length ? sourceOf(parts[index]!) : ""), ""));
}

function sourceOf(part: Part): string {
  if (part === null || part === undefined || part === false) return "";
  if (part instanceof Html) return part.source;
  if (Array.isArray(part)) return (part as readonly Part[]).map(sourceOf).join("");
  return escapeHtml(String(part as string | number));
}

export function escapeHtml(text: string): string {
  return text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;").replace(/'/g, "&#39;");
}
