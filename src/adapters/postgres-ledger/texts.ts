/** Begins a text that PostgreSQL could not keep as it is. */
const ESCAPED = "\u0001";

/** Keys as PostgreSQL can keep them: it has no zero character, and halves of surrogate pairs would become all the same. */
export const storedKey = (key: string): string =>
  key.includes("\0") || key.startsWith(ESCAPED) || !isWellFormed(key) ? ESCAPED + JSON.stringify(key) : key;

export const keyOf = (stored: string): string => (stored.startsWith(ESCAPED) ? (JSON.parse(stored.slice(1)) as string) : stored);

/** Any other text: what cannot be kept is shown as a mark. */
export const storedText = (text: string): string => (text.includes("\0") ? text.replaceAll("\0", "\ufffd") : text);

const LONE = /\p{Cs}/u;
const isWellFormed = (text: string): boolean => !LONE.test(text);
