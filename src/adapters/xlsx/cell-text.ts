/**
 * Characters that XML cannot hold stand as `_xHHHH_` (ECMA-376 part 1, 22.9.2.19); what looks like that gets its own underscore escaped.
 */
/** Control characters, what is no character, and halves of surrogate pairs. */
const NOT_IN_XML = /(?![\t\n])[\p{Cc}\ufffe\uffff]|\p{Cs}/gu;

export function escapeCell(text: string): string {
  return text
    .replace(/_x[0-9A-Fa-f]{4}_/g, "_x005F$&")
    .replace(NOT_IN_XML, (char) => `_x${char.charCodeAt(0).toString(16).toUpperCase().padStart(4, "0")}_`);
}

export function unescapeCell(text: string): string {
  return text.includes("_x") ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))) : text;
}

const DAY_MS = 86_400_000;
/** The days from 1899-12-30, and from 1904-01-01, to 1970-01-01. */
const EPOCHS = { 1900: 25_569, 1904: 24_107 } as const;
export type DateSystem = keyof typeof EPOCHS;

/** A serial number as ISO 8601: a day, a day and time, or, below one day, a time. In the 1900 system, 60 is a day that never was. */
export function serialText(serial: number, system: DateSystem): string {
  if (serial < 0 || serial >= 2_958_466) return String(serial);
  const time = Math.round((serial % 1) * 86_400);
  if (serial < 1 && system === 1900) return clockText(time);
  const days = Math.floor(serial) + (system === 1900 && serial < 60 ? 1 : 0);
  const iso = new Date((days - EPOCHS[system]) * DAY_MS + time * 1000).toISOString();
  return time === 0 ? iso.slice(0, 10) : iso.slice(17, 19) === "00" ? iso.slice(0, 16) : iso.slice(0, 19);
}

function clockText(seconds: number): string {
  const iso = new Date(seconds * 1000).toISOString();
  return iso.slice(17, 19) === "00" ? iso.slice(11, 16) : iso.slice(11, 19);
}

/** The serial number of an ISO day, or day and time; `undefined` before March 1900, where spreadsheet programs count differently. */
export function serialOf(iso: string, system: DateSystem): number | undefined {
  const found = /^(\d{4})-(\d\d)-(\d\d)(?:T(\d\d):(\d\d)(?::(\d\d))?)?$/.exec(iso);
  if (!found) return undefined;
  const [, year, month, day, hour = "0", minute = "0", second = "0"] = found;
  const ms = Date.UTC(Number(year), Number(month) - 1, Number(day), Number(hour), Number(minute), Number(second));
  const serial = ms / DAY_MS + EPOCHS[system];
  return serial < 61 || Number(year) > 9999 ? undefined : serial;
}
