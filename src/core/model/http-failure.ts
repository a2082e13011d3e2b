import { retryAfterMs } from "./http-headers.js";
import { ModelFailure } from "./model.js";

/**
 * What a response with a status other than 2xx says.
 *
 * @param body as parsed from JSON; the words of its `error` are for the person who set the model up.
 * @param now milliseconds since 1970, for a `Retry-After` that names a moment.
 */
export function statusFailure(status: number, headers: Readonly<Record<string, string>>, body: unknown, now: number): ModelFailure {
  const said = wordsOf(body);
  const details = { status, retryAfterMs: retryAfterMs(headers, now) };
  if (status === 401 || status === 403) return new ModelFailure("unauthorised", `HTTP ${status}`, details);
  if (status === 429) {
    const code = (body as { error?: { code?: unknown; type?: unknown } } | undefined)?.error;
    if (code?.code === "insufficient_quota" || code?.type === "insufficient_quota")
      return new ModelFailure("quota", "the quota is spent", details);
    return new ModelFailure("busy", "the host says that it gets too many requests (HTTP 429)", details);
  }
  // 501 and 505: it will never take such a request; the address is another service's.
  if ((status >= 500 && status !== 501 && status !== 505) || status === 408 || status === 409)
    return new ModelFailure("server", `the host failed (HTTP ${status})`, details);
  return new ModelFailure("rejected", said || `HTTP ${status}`, details);
}

/** The host's own words about an error, shortened; they are for the person who set the model up. */
export function wordsOf(body: unknown): string {
  const error = (body as { error?: unknown } | null | undefined)?.error;
  const message = typeof error === "string" ? error : (error as { message?: unknown } | null | undefined)?.message;
  return typeof message === "string" ? message.replace(/\s+/g, " ").trim().slice(0, 200) : "";
}
