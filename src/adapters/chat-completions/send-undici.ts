import type { Dispatcher } from "undici";
import Agent from "undici/lib/dispatcher/agent.js";
import { ModelFailure, type CancelSignal } from "../../core/index.js";
import type { Received, Send } from "./send.js";

/**
 * Sends with undici's `dispatch`: no stream and no abort controller for each request, which took about a sixth of a fill's
 * CPU. Its own time-outs are off: the adapter's covers the whole exchange.
 */
export function viaUndici(options: { readonly connections?: number } = {}): Send {
  const dispatcher = new Agent({ connections: options.connections ?? null, headersTimeout: 0, bodyTimeout: 0, keepAliveTimeout: 30_000 });
  let known: { readonly url: string; readonly origin: string; readonly path: string } | undefined;
  return (url, headers, body, signal) => {
    if (known?.url !== url) {
      const { origin, pathname, search } = new URL(url);
      known = { url, origin, path: pathname + search };
    }
    const { origin, path } = known;
    return new Promise((resolve, reject) => {
      dispatcher.dispatch({ origin, path, method: "POST", headers: headers as Record<string, string>, body }, new Exchange(signal, resolve, reject));
    });
  };
}

/** Collects one response. */
class Exchange implements Dispatcher.DispatchHandler {
  #status = 0;
  #headers: Readonly<Record<string, string>> = {};
  #chunks: Buffer[] = [];
  #controller: Dispatcher.DispatchController | undefined;
  /** Also one that still waits for a connection. */
  readonly #onAbort = (): void => {
    const error = new ModelFailure("cancelled", "cancelled");
    this.#done();
    this.reject(error);
    this.#controller?.abort(error);
  };

  constructor(
    readonly signal: CancelSignal,
    readonly resolve: (received: Received) => void,
    readonly reject: (error: unknown) => void,
  ) {
    signal.addEventListener("abort", this.#onAbort);
  }

  onRequestStart(controller: Dispatcher.DispatchController): void {
    this.#controller = controller;
    if (this.signal.aborted) this.#onAbort();
  }

  onResponseStart(_controller: Dispatcher.DispatchController, status: number, headers: object): void {
    this.#status = status;
    this.#headers = headers as Record<string, string>;
  }

  onResponseData(_controller: Dispatcher.DispatchController, chunk: Buffer): void {
    this.#chunks.push(chunk);
  }

  onResponseEnd(): void {
    this.#done();
    const text = this.#chunks.length === 1 ? this.#chunks[0]!.toString("utf8") : Buffer.concat(this.#chunks).toString("utf8");
    this.resolve({ status: this.#status, headers: this.#headers, text });
  }

  onResponseError(_controller: Dispatcher.DispatchController, error: Error): void {
    this.#done();
    this.reject(error);
  }

  #done(): void {
    this.signal.removeEventListener("abort", this.#onAbort);
  }
}
