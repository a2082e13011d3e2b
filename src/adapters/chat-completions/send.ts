import type { CancelSignal } from "../../core/index.js";

/** Everything that came back. */
export interface Received {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly text: string;
}

/** One HTTP exchange: what goes out, and everything that came back. Rejects when the network fails, or the signal is aborted. */
export type Send = (url: string, headers: Readonly<Record<string, string>>, body: string, signal: CancelSignal) => Promise<Received>;

/** Sends with the platform's `fetch`: for the browser. */
export function viaFetch(fetcher: typeof fetch = fetch): Send {
  return async (url, headers, body, signal) => {
    const controller = new AbortController();
    const onAbort = (): void => controller.abort();
    signal.addEventListener("abort", onAbort);
    try {
      if (signal.aborted) onAbort();
      const response = await fetcher(url, { method: "POST", headers, body, signal: controller.signal });
      return { status: response.status, headers: Object.fromEntries(response.headers), text: await response.text() };
    } finally {
      signal.removeEventListener("abort", onAbort);
    }
  };
}
