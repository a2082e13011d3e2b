/** One HTTP exchange: what goes out, and everything that came back. Rejects when the network fails. */
export type Send = (url: string, headers: Readonly<Record<string, string>>, body: string, signal: AbortSignal) => Promise<{ readonly status: number; readonly headers: Readonly<Record<string, string>>; readonly text: string }>;

/** Sends with the platform's `fetch`: for the browser. */
export function viaFetch(fetcher: typeof fetch = fetch): Send {
  return async (url, headers, body, signal) => {
    const response = await fetcher(url, { method: "POST", headers, body, signal });
    return { status: response.status, headers: Object.fromEntries(response.headers), text: await response.text() };
  };
}
