/**
 * Keeps a spreadsheet from running a model's words as a formula: text that begins with `=`, `+`, `-`, `@`, a tab or
 * a carriage return gets an apostrophe in front, which spreadsheets take as "this is text".
 */
export function defang(text: string): string {
  return /^[\s\u200b\ufeff]*[=+\-@\uff1d\uff0b\uff0d\uff20]|^[\t\r]/.test(text) ? `'${text}` : text;
}
