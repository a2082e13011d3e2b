import type { Client, Dispatcher } from "undici";
import { ModelFailure, type CancelSignal } from "../../core/index.js";
import { bodyText, tooLarge, type Received, type Send } from "./send.js";

/**
 * Sends with undici's `dispatch`: no stream and no abort controller for each request, which took about a sixth of a fill's
 * CPU. Its own time-outs are off: the adapter's covers the whole exchange.
 *
 * @example
 * ```ts
 * import { chatCompletions, systemClock } from "yoroshi";
 * import { viaUndici } from "yoroshi/node";
 *
 * const model = chatCompletions({ endpoint: "http://127.0.0.1:8080/v1", id: "own", key: "none", send: viaUndici({ connections: 50 }), clock: systemClock() });
 * model.host; // => "http://127.0.0.1:8080/v1"
 * ```
 */
export function viaUndici(options: { readonly connections?: number } = {}): Send {
  const most = options.connections ?? Infinity;
  const hosts = new Map<string, Connections>();
  // A third of a second to load, and only who asks needs it.
  let loading: Promise<void> | undefined;
  let client: ((origin: string) => Client) | undefined;
  const load = async (): Promise<void> => {
    const { Client: HttpClient } = await import("undici");
    client = (origin) => new HttpClient(origin, { headersTimeout: 0, bodyTimeout: 0, keepAliveTimeout: 30_000 });
  };
  let known: { readonly url: string; readonly connections: Connections; readonly path: string } | undefined;
  const send: Send = (url, headers, body, signal, mostBytes) => {
    if (!client) return (loading ??= load()).then(() => send(url, headers, body, signal, mostBytes));
    if (known?.url !== url) {
      const { origin, pathname, search } = new URL(url);
      let connections = hosts.get(origin);
      if (!connections) hosts.set(origin, (connections = new Connections(() => client!(origin), most)));
      known = { url, connections, path: pathname + search };
    }
    const { connections, path } = known;
    return new Promise((resolve, reject) =>
      connections.use((one, done) =>
        one.dispatch(
          { path, method: "POST", headers: headers as Record<string, string>, body },
          new Exchange(signal, resolve, reject, done, mostBytes),
        ),
      ),
    );
  };
  return send;
}

type Use = (client: Client, done: () => void) => void;

/** Connections to one host, one request at a time on each: the last that came free is the next, so that the others may rest. */
class Connections {
  readonly #idle: Client[] = [];
  readonly #waiting: Use[] = [];
  #open = 0;

  constructor(
    readonly connect: () => Client,
    readonly most: number,
  ) {}

  use(use: Use): void {
    const free = this.#idle.pop();
    if (free) this.#give(free, use);
    else if (this.#open < this.most) {
      this.#open++;
      this.#give(this.connect(), use);
    } else this.#waiting.push(use);
  }

  #give(client: Client, use: Use): void {
    let isDone = false;
    use(client, () => {
      if (isDone) return;
      isDone = true;
      const next = this.#waiting.shift();
      if (next) this.#give(client, next);
      else this.#idle.push(client);
    });
  }
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
    /** Told once the connection is free again. */
    readonly free: () => void,
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
    this.free();
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
    this.free();
    this.reject(error);
  }

  #done(): void {
    this.signal.removeEventListener("abort", this.#onAbort);
  }
}
