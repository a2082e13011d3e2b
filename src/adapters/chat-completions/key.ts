import { YoroshiError } from "../../core/index.js";

/** Shorter than this, a key could be a word of any reply. */
const LEAST_CHARS = 6;

/**
 * What keeps a key from being sent, in words that do not hold it; `undefined` where nothing does. A header takes no line
 * break, and of other characters only those that are visible (RFC 9110, 5.5).
 */
export function keyProblem(key: string): string | undefined {
  if (/[\r\n]/.test(key)) return "it has a line break in it; a key is one line (was a file's last line break taken along?)";
  return /^[\x21-\x7e]+$/.test(key) ? undefined : "it has a space or a character in it that no key has";
}

/** Takes a key, however it is escaped, out of whatever a host says. */
export function redactor(key: string | undefined): (text: string) => string {
  if (key === undefined || key.length < LEAST_CHARS) return (text) => text;
  const problem = keyProblem(key);
  if (problem !== undefined) throw new YoroshiError("misuse", { problem: `The key cannot be used: ${problem}.` });
  const escaped = (text: string): string => JSON.stringify(text).slice(1, -1);
  // An answer is JSON in JSON.
  const forms = [...new Set([escaped(escaped(key)), escaped(key), key, encodeURIComponent(key)])];
  return (text) => forms.reduce((rest, form) => (rest.includes(form) ? rest.replaceAll(form, "[key]") : rest), text);
}
