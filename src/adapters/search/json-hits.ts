import type { Hit } from "../../core/index.js";

/** Where the hits of a JSON reply stand, as paths of members: `data.items`, `page.href`. */
export interface JsonMapping {
  readonly results: string;
  readonly fields: { readonly address: string; readonly title?: string | undefined; readonly summary?: string | undefined };
}

const at = (value: unknown, path: string): unknown =>
  path === ""
    ? value
    : path
        .split(".")
        .reduce<unknown>(
          (outer, name) => (outer !== null && typeof outer === "object" ? (outer as Record<string, unknown>)[name] : undefined),
          value,
        );

/** The hits of a JSON reply; a sentence where it holds no list there. */
export function readJsonHits(text: string, { results, fields }: JsonMapping): Hit[] | string {
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    return "gave no JSON";
  }
  const found = at(body, results);
  if (!Array.isArray(found)) return `gave no list at \`${results}\``;
  const word = (item: unknown, path: string | undefined): string => {
    const value = path === undefined ? undefined : at(item, path);
    return typeof value === "string" || typeof value === "number" ? String(value) : "";
  };
  return found.flatMap((item) => {
    const address = word(item, fields.address);
    return /^https?:\/\//i.test(address) ? [{ address, title: word(item, fields.title), summary: word(item, fields.summary) }] : [];
  });
}
