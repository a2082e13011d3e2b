import type { CancelSignal, SourceProblem } from "../../core/index.js";

/** One request, one reply; redirects are not followed. */
export interface WebRequest {
  readonly url: URL;
  readonly headers: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
}

export interface WebReply {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | undefined>>;
  readonly body: AsyncIterable<Uint8Array>;
}

/** Sends a request. @throws PrivateAddress, or whatever the network does. */
export type WebSend = (request: WebRequest) => Promise<WebReply>;

/** A name that leads into a private network, or to this machine itself. */
export class PrivateAddress extends Error {
  override readonly name = "PrivateAddress";
}

/** What lies at an address. */
export interface Fetched {
  /** Where it was found in the end. */
  readonly address: string;
  readonly status: 200 | 304;
  readonly type: string;
  readonly charset?: string | undefined;
  readonly etag?: string | undefined;
  readonly lastModified?: string | undefined;
  readonly bytes: Uint8Array;
}

export interface FetchLimits {
  /** For all of it, redirects included. */
  readonly timeoutMs: number;
  /** Once it is unpacked. */
  readonly maxBytes: number;
  readonly maxRedirects: number;
}

export const PAGE_LIMITS: FetchLimits = { timeoutMs: 20_000, maxBytes: 5 * 1024 * 1024, maxRedirects: 5 };
export const FILE_LIMITS: FetchLimits = { timeoutMs: 60_000, maxBytes: 64 * 1024 * 1024, maxRedirects: 5 };

export const AGENT = "yoroshi/0.1 (fills tables; asks a page once)";

export interface FetchOptions {
  readonly send: WebSend;
  readonly limits: FetchLimits;
  /** May say why an address is not to be asked, and wait for its host's turn. Tried for each redirect, too. */
  readonly before: (url: URL) => Promise<SourceProblem | undefined>;
  readonly headers?: Readonly<Record<string, string>> | undefined;
  readonly signal?: CancelSignal | undefined;
}

/** Fetches what lies at an address, within limits. What is wrong with it is told, not thrown. */
export async function fetchAddress(address: string, options: FetchOptions): Promise<Fetched | SourceProblem> {
  const { send, limits, before, headers = {} } = options;
  const ending = new AbortController();
  const timer = setTimeout(() => ending.abort(), limits.timeoutMs);
  const onCancel = (): void => ending.abort();
  options.signal?.addEventListener("abort", onCancel, { once: true });
  const seen = new Set<string>();
  let url: URL;
  try {
    url = new URL(address);
    for (;;) {
      if (url.protocol !== "http:" && url.protocol !== "https:")
        return { problem: `leads to an address of the kind \`${url.protocol}\`, which is not read` };
      if (seen.has(url.href)) return { problem: "leads in a circle" };
      if (seen.size > limits.maxRedirects) return { problem: `leads on and on, more than ${limits.maxRedirects} times` };
      seen.add(url.href);
      const refused = await before(url);
      if (refused) return refused;
      const reply = await send({ url, signal: ending.signal, headers: { "user-agent": AGENT, accept: "*/*", ...headers } });
      const { status } = reply;
      const to = reply.headers["location"];
      if ([301, 302, 303, 307, 308].includes(status) && to) {
        await drained(reply);
        if (!URL.canParse(to, url.href)) return { problem: "leads to something that is no address" };
        url = new URL(to, url.href);
        continue;
      }
      return await read(reply, url, limits);
    }
  } catch (error) {
    if (ending.signal.aborted && options.signal?.aborted !== true)
      return { problem: `did not come within ${limits.timeoutMs / 1000} seconds`, mayPass: true };
    return problemOf(error as Error & { code?: string }, options);
  } finally {
    clearTimeout(timer);
    options.signal?.removeEventListener("abort", onCancel);
  }
}

async function read(reply: WebReply, url: URL, { maxBytes }: FetchLimits): Promise<Fetched | SourceProblem> {
  const { status, headers } = reply;
  const [type = "", ...parameters] = (headers["content-type"] ?? "").toLowerCase().split(";");
  const charset = /charset\s*=\s*"?([\w-]+)/.exec(parameters.join(";"))?.[1];
  const about = { address: url.href, type: type.trim(), charset, etag: headers["etag"], lastModified: headers["last-modified"] };
  if (status === 304) {
    await drained(reply);
    return { ...about, status, bytes: new Uint8Array() };
  }
  if (status !== 200) {
    await drained(reply);
    return { problem: statusWords(status), mayPass: status >= 500 || status === 429 || status === 408 };
  }
  const pieces: Uint8Array[] = [];
  let size = 0;
  for await (const piece of reply.body) {
    size += piece.length;
    if (size > maxBytes) return { problem: `gives more than ${Math.round(maxBytes / 1024 / 1024)} MB` };
    pieces.push(piece);
  }
  return { ...about, status, bytes: Buffer.concat(pieces) };
}

function statusWords(status: number): string {
  if (status === 404 || status === 410) return "names a page that is not there (404)";
  if (status === 401 || status === 403) return `names a page that its host does not show (${status})`;
  return status >= 500 ? `could not be had: its host failed (${status})` : `could not be had: its host answered ${status}`;
}

/** A body that nobody reads keeps its connection; one of many bytes is not waited for. */
async function drained({ body }: WebReply): Promise<void> {
  let size = 0;
  for await (const piece of body) if ((size += piece.length) > 65_536) break;
}

function problemOf(error: Error & { code?: string; cause?: unknown }, { signal }: FetchOptions): SourceProblem {
  const chain = [error, error.cause as Error | undefined].filter((one) => one instanceof Error);
  if (chain.some(({ name }) => name === "PrivateAddress"))
    return {
      problem: "leads into a private network; name its host in yoroshi.yaml, if it may be read: `hosts: { allow: [intranet.example] }`",
    };
  if (signal?.aborted) return { problem: "was not fetched any more", mayPass: true };
  if (error instanceof TypeError && (error as { code?: string }).code === "ERR_INVALID_URL") return { problem: "is no address of the web" };
  const code = chain.map((one) => (one as { code?: string }).code).find((one) => one !== undefined);
  if (code === "ENOTFOUND" || code === "EAI_AGAIN") return { problem: "names a host that cannot be found", mayPass: true };
  return { problem: `could not be had: ${code ?? "the connection broke off"}`, mayPass: true };
}
