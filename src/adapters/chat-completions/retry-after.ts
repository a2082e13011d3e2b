/**
 * How long a host asks to wait, in milliseconds: `Retry-After` as seconds or as an HTTP date (RFC 9110, 10.2.3),
 * or `retry-after-ms`. `undefined` where it says nothing that can be read.
 */
export function retryAfterMs(headers: Readonly<Record<string, string>>, now: number): number | undefined {
  const ms = headers["retry-after-ms"];
  if (ms !== undefined && Number(ms) >= 0 && ms.trim() !== "") return Number(ms);
  const value = headers["retry-after"];
  if (value === undefined) return undefined;
  if (/^\s*\d+(\.\d+)?\s*$/.test(value)) return Number(value) * 1000;
  const date = Date.parse(value);
  return Number.isNaN(date) ? undefined : Math.max(0, date - now);
}
