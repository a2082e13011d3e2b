import type { Dispatcher } from "undici";
import Agent from "undici/lib/dispatcher/agent.js";
import { ModelFailure, type CancelSignal } from "../../core/index.js";
import { bodyText, tooLarge, type Received, type Send } from "./send.js";

/**
 * Sends with undici's `dispatch`: no stream and no abort controller for each request, which took about a sixth of a fill's
 * CPU. Its own time-outs are off: the adapter's covers the whole exchange.
 */
export function viaUndici(options: { readonly connections?: number } = {}): Send {
  const dispatcher = new Agent({ connections: options.connections ?? null, headersTimeout: 0, bodyTimeout: 0, keepAliveTimeout: 30_000 });
  let known: { readonly url: string; readonly origin: string; readonly path: string } | undefined;
  return (url, headers, body, signal, mostBytes) => {
    if (known?.url !== url) {
      const { origin, pathname, search } = new URL(url);
      known = { url, origin, path: pathname + search };
    }
    const { origin, path } = known;
    return new Promise((resolve, reject) => {
      dispatcher.dispatch(
        { origin, path, method: "POST", headers: headers as Record<string, string>, body },
        new Exchange(signal, resolve, reject, mostBytes),
      );
    });
  };
}

/** Collects one response. */
class Exchange implements Dispatcher.DispatchHandler {
  #status = 0;
  #headers: Readonly<Record<string, string>> = {};
  #chunks: Buffer[] = [];
  #size = 0;
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
    readonly mostBytes = Infinity,
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

  onResponseData(controller: Dispatcher.DispatchController, chunk: Buffer): void {
    this.#size += chunk.length;
    if (this.#size > this.mostBytes) {
      this.#done();
      this.reject(tooLarge());
      controller.abort(tooLarge());
    } else this.#chunks.push(chunk);
  }

  onResponseEnd(): void {
    this.#done();
    try {
      this.resolve({
        status: this.#status,
        headers: this.#headers,
        text: bodyText(this.#chunks.length === 1 ? this.#chunks[0]! : Buffer.concat(this.#chunks)),
      });
    } catch (error) {
      this.reject(error);
    }
  }

  onResponseError(_controller: Dispatcher.DispatchController, error: Error): void {
    this.#done();
    this.reject(error);
  }

  #done(): void {
    this.signal.removeEventListener("abort", this.#onAbort);
  }
}
