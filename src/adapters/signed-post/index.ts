import { Webhook } from "standardwebhooks";

/** The least that a secret must have. */
export const LEAST_SECRET_BYTES = 24;
const TIMEOUT_MS = 10_000;

/** What is sent, and where. */
export interface Post {
  readonly url: string;
  /** In base64, with or without `whsec_` before it. */
  readonly secret: string;
  /** The same however often it is sent: by it a receiver knows what it has had. */
  readonly id: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly body: string;
  readonly contentType: string;
  readonly signal?: AbortSignal | undefined;
}

/** A secret as it is kept; `undefined` where it is too short to sign by. */
export function secretOf(value: string | undefined): string | undefined {
  const bytes = Buffer.from(value?.replace(/^whsec_/, "") ?? "", "base64");
  return bytes.length < LEAST_SECRET_BYTES ? undefined : bytes.toString("base64");
}

/**
 * Sends a body by HTTP, signed after the Standard Webhooks rules (headers `webhook-id`, `webhook-timestamp`, `webhook-signature`).
 *
 * @returns nothing when it was taken (a status of 200 to 299 within ten seconds), else why not.
 */
export async function signedPost({ url, secret, id, at, body, contentType, signal }: Post): Promise<string | undefined> {
  try {
    const response = await fetch(url, {
      method: "POST",
      redirect: "error",
      signal: AbortSignal.any([...(signal ? [signal] : []), AbortSignal.timeout(TIMEOUT_MS)]),
      headers: {
        "content-type": contentType,
        "webhook-id": id,
        "webhook-timestamp": String(Math.floor(at / 1000)),
        "webhook-signature": new Webhook(secret).sign(id, new Date(at), body),
      },
      body,
    });
    await response.body?.cancel();
    return response.ok ? undefined : `it answered ${response.status}`;
  } catch (error) {
    if (signal?.aborted) return "it was broken off";
    const { name, message, cause } = error as Error & { readonly cause?: { readonly code?: string } };
    return name === "TimeoutError" ? "it did not answer in 10 s" : `it cannot be reached (${cause?.code ?? message})`;
  }
}
