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

/**
 * What a host says that it still allows: `x-ratelimit-remaining-requests` with `x-ratelimit-reset-requests` (`6m0s`, `120ms`),
 * or `ratelimit-remaining` with `ratelimit-reset` in seconds (IETF draft, RateLimit header fields for HTTP).
 */
export function allowanceOf(headers: Readonly<Record<string, string>>): { requests: number; resetMs: number } | undefined {
  const left = headers["x-ratelimit-remaining-requests"] ?? headers["ratelimit-remaining"];
  const resetMs = durationMs(headers["x-ratelimit-reset-requests"] ?? headers["ratelimit-reset"]);
  if (left === undefined || resetMs === undefined || !/^\s*\d+\s*$/.test(left)) return undefined;
  return { requests: Number(left), resetMs };
}

const UNITS: Readonly<Record<string, number>> = { ms: 1, s: 1_000, m: 60_000, h: 3_600_000 };

/** `1h2m3.5s`, `120ms`, or bare seconds. */
function durationMs(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  if (/^\s*\d+(\.\d+)?\s*$/.test(text)) return Number(text) * 1_000;
  const parts = [...text.matchAll(/(\d+(?:\.\d+)?)(ms|s|m|h)/g)];
  if (parts.length === 0 || parts.map(([whole]) => whole).join("") !== text.trim()) return undefined;
  return parts.reduce((sum, [, number, unit]) => sum + Number(number) * UNITS[unit!]!, 0);
}
