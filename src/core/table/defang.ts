/**
 * Keeps a spreadsheet from running a model's words as a formula: text that begins with `=`, `+`, `-`, `@`, a tab or
 * a carriage return gets an apostrophe in front, which spreadsheets take as "this is text".
 */
export function defang(text: string): string {
  return /^[\s\u200b\ufeff]*[=+\-@\uff1d\uff0b\uff0d\uff20]|^[\t\r]/.test(text) ? `'${text}` : text;
}

/** The same for a cell that is copied from elsewhere; a number stays one. */
export const defangCopied = (text: string): string => (/^[-+]?[\d.,\s]+$/.test(text) ? text : defang(text));

/** A cell as it was before it was defanged. */
export const refanged = (text: string): string => (text.startsWith("'") && defang(text.slice(1)) === text ? text.slice(1) : text);
