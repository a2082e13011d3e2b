/** The escape sequences of our own colours, and no others. */
// eslint-disable-next-line no-control-regex
const COLOUR = /^\u001b\[(?:0|1|2|22|31|32|33|39)m/;
const PICTURES = 0x2400;
const DELETE = 0x7f;

/**
 * A text as it may go to a terminal: control characters, which could move the cursor, change the window or hide what stands
 * there, are shown instead of sent (U+2400 …), as are those that turn the direction of writing.
 *
 * @param colours whether our own colours may stand in it. Default true; no where a row, a prompt or a reply is shown.
 */
export function visible(text: string, colours = true): string {
  // eslint-disable-next-line no-control-regex
  return text.replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g, (char, at: number) => {
    const code = char.charCodeAt(0);
    if (colours && char === "\u001b" && COLOUR.test(text.slice(at, at + 6))) return char;
    if (code < 0x20) return String.fromCharCode(PICTURES + code);
    return code === DELETE ? "\u2421" : `<U+${code.toString(16).toUpperCase().padStart(4, "0")}>`;
  });
}

/** JSON whose every control character is escaped. */
export const visibleJson = (value: unknown): string =>
  JSON.stringify(value).replace(
    /[\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
