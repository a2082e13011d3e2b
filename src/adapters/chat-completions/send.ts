import { ModelFailure, type CancelSignal } from "../../core/index.js";

/** Everything that came back. */
export interface Received {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly text: string;
}

/**
 * One HTTP exchange: what goes out, and everything that came back. Rejects when the network fails, or the signal is aborted.
 *
 * @param mostBytes of the body; one that is larger, or not UTF-8, rejects with a ModelFailure `garbled`. Default: any size.
 */
export type Send = (
  url: string,
  headers: Readonly<Record<string, string>>,
  body: string,
  signal: CancelSignal,
  mostBytes?: number,
) => Promise<Received>;

export const tooLarge = (): ModelFailure =>
  new ModelFailure("garbled", "the reply is larger than any that the template's maxTokens can need");

/** The text of a body. @throws ModelFailure `garbled` where it is not UTF-8. */
export function bodyText(bytes: Uint8Array): string {
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch (error) {
    throw new ModelFailure("garbled", "the reply is not valid UTF-8", { cause: error });
  }
}

/**
 * Sends with the platform's `fetch`: for the browser.
 *
 * @example
 * ```ts
 * import { viaFetch } from "yoroshi";
 *
 * const send = viaFetch(fetch);
 * typeof send; // => "function"
 * ```
 */
export function viaFetch(fetcher: typeof fetch = fetch): Send {
  return async (url, headers, body, signal, mostBytes = Infinity) => {
    const controller = new AbortController();
    const onAbort = (): void => controller.abort();
    signal.addEventListener("abort", onAbort);
    try {
      if (signal.aborted) onAbort();
      const response = await fetcher(url, { method: "POST", headers, body, signal: controller.signal });
      return { status: response.status, headers: Object.fromEntries(response.headers), text: bodyText(await bytesOf(response, mostBytes)) };
    } finally {
      signal.removeEventListener("abort", onAbort);
    }
  };
}

async function bytesOf(response: Response, most: number): Promise<Uint8Array> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  const reader = response.body?.getReader();
  for (let part = await reader?.read(); reader && part && !part.done; part = await reader.read()) {
    size += part.value.length;
    if (size > most) {
      await reader.cancel();
      throw tooLarge();
    }
    chunks.push(part.value);
  }
  const whole = new Uint8Array(size);
  let at = 0;
  for (const chunk of chunks) {
    whole.set(chunk, at);
    at += chunk.length;
  }
  return whole;
}
