import { pathKeys, ROUTES, type Route, type RouteName } from "../api/index.js";
import type * as jobs from "../jobs/all.js";
import type { JobInput, JobReport } from "../jobs/job.js";
import type { AnswersReport, Download, LaterShown, Uploaded } from "../jobs/index.js";
import type { LiveEventOf, UnderWay } from "./types.js";

type Jobs = typeof jobs;
type JobOf<Name extends RouteName> = (typeof ROUTES)[Name] extends { readonly job: infer Job } ? Job : Name;
type FixedOf<Name extends RouteName> = (typeof ROUTES)[Name] extends { readonly fixed: infer Fixed } ? keyof Fixed : never;
type WithoutOf<Name extends RouteName> = (typeof ROUTES)[Name] extends { readonly without: readonly (infer Key)[] } ? Key : never;
type Hidden<Name extends RouteName> = "by" | FixedOf<Name> | WithoutOf<Name>;
type TheJob<Name extends RouteName> = JobOf<Name> extends keyof Jobs ? Jobs[JobOf<Name>] : never;

/** What a call takes: the job's input, without who does it. */
export type CallInput<Name extends RouteName> = Omit<JobInput<TheJob<Name>>, Hidden<Name> & string>;
/** What it gives: the job's report; of what goes on by itself, how it stands. */
export type CallReport<Name extends RouteName> = (typeof ROUTES)[Name] extends { readonly goesOn: true }
  ? UnderWay
  : JobReport<TheJob<Name>>;

type Calls = {
  readonly [Name in RouteName]: (
    ...about: Record<string, never> extends CallInput<Name>
      ? [input?: CallInput<Name>, options?: CallOptions]
      : [input: CallInput<Name>, options?: CallOptions]
  ) => Promise<CallReport<Name>>;
};

/** What one call may say besides its input. */
export interface CallOptions {
  readonly signal?: AbortSignal | undefined;
}

/** How rows are to be answered. */
export interface AnswersWish {
  /** Ask even where the answer is known. */
  readonly fresh?: boolean | undefined;
  /** A key by which a request that is sent twice is done once. */
  readonly idempotencyKey?: string | undefined;
}

/** How one listens. */
export interface ListenOptions {
  /** The id of the last event that was seen. */
  readonly last?: string | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Told when the connection is lost, and made again some moments later. */
  readonly onLost?: (() => void) | undefined;
  /** Told when the server listens again, and when it does so first. */
  readonly onFound?: (() => void) | undefined;
}

/** A project's server, as a program sees it. */
export interface Client extends Calls {
  /** Answers rows by a template. */
  answer(template: string, rows: readonly Readonly<Record<string, unknown>>[], wish?: AnswersWish & CallOptions): Promise<AnswersReport>;
  /** Has rows answered later; `later` tells how they stand. */
  answerLater(
    template: string,
    rows: readonly Readonly<Record<string, unknown>>[],
    wish?: AnswersWish & CallOptions & { readonly callBack?: string | undefined },
  ): Promise<LaterShown>;
  /** What has become of answers that were asked for later. */
  later(id: string, options?: CallOptions): Promise<LaterShown>;
  /** Fills and trials that the server was asked for, the newest first. */
  underWay(options?: CallOptions): Promise<readonly UnderWay[]>;
  /** How one of them stands; or pauses it, has it go on, stops it. */
  run(id: string, act?: "pause" | "go-on" | "stop", options?: CallOptions): Promise<UnderWay>;
  /** Sends a table's file into the project. */
  upload(
    name: string,
    bytes: Blob | ArrayBuffer | Uint8Array,
    about?: CallOptions & { readonly replace?: boolean | undefined },
  ): Promise<Uploaded>;
  /** Takes a plan's table away: its result file, or the rows as they are seen. */
  download(
    plan: string,
    as?: "result" | "csv" | "xlsx",
    about?: CallOptions & { readonly seen?: Omit<CallInput<"readRows">, "plan" | "from" | "limit" | "fresh"> | undefined },
  ): Promise<Pick<Download, "name"> & { readonly bytes: Blob }>;
  /** Tells what changes, until the signal is aborted; a lost connection is made again. */
  listen(on: (event: LiveEventOf) => void, options?: ListenOptions): Promise<void>;
}

/** Where a server is. */
export interface ClientOptions {
  /** Its address. Default: the page's own. */
  readonly base?: string | undefined;
  /** A program's token; a page has its session instead. */
  readonly token?: string | undefined;
  /** Default: the platform's own. */
  readonly fetch?: typeof fetch | undefined;
}

/** What a server refused, with its code. */
export class ServerError extends Error {
  override readonly name = "ServerError";

  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    /** The whole problem: mistakes with their places, both texts of a conflict. */
    readonly problem: Readonly<Record<string, unknown>>,
  ) {
    super(message);
  }
}

const AGAIN_MS = 1_000;

/**
 * A client of a project's server, for browsers and Node.
 *
 * @example
 * ```ts
 * import { client } from "yoroshi/client";
 *
 * const server = client({ base: "http://127.0.0.1:4747", token: "yoroshi_…" });
 * typeof server.readRows; // => "function"
 * ```
 */
export function client({ base = "", token, fetch: send = (...about) => fetch(...about) }: ClientOptions = {}): Client {
  const request = async (path: string, init: RequestInit): Promise<Response> => {
    const headers = new Headers(init.headers);
    if (token !== undefined) headers.set("authorization", `Bearer ${token}`);
    const response = await send(`${base.replace(/\/$/, "")}${path}`, {
      ...init,
      headers,
      ...(token === undefined ? { credentials: "same-origin" } : { credentials: "omit" }),
    });
    if (!response.ok) throw await serverError(response);
    return response;
  };
  const json = async <T>(
    path: string,
    method: string,
    body: unknown,
    options: CallOptions = {},
    headers: Record<string, string> = {},
  ): Promise<T> => {
    const init: RequestInit =
      body === undefined
        ? { method, headers }
        : { method, headers: { ...headers, "content-type": "application/json" }, body: JSON.stringify(body) };
    return (await (await request(path, { ...init, ...signalOf(options) })).json()) as T;
  };
  const calls = Object.fromEntries(
    Object.entries(ROUTES).map(([name, route]) => [
      name,
      (input: Readonly<Record<string, unknown>> = {}, options: CallOptions = {}) => {
        const { path, body } = placed(route, input);
        return json(path, route.method, body, options);
      },
    ]),
  );
  const post = <T>(template: string, body: object, { idempotencyKey, ...options }: AnswersWish & CallOptions): Promise<T> =>
    json(
      `/templates/${encodeURIComponent(template)}/answers`,
      "POST",
      body,
      options,
      idempotencyKey === undefined ? {} : { "idempotency-key": idempotencyKey },
    );
  const others = {
    answer: (template, rows, { fresh, ...wish } = {}) => post(template, { rows, ...(fresh ? { fresh } : {}) }, wish),
    answerLater: (template, rows, { fresh, callBack, ...wish } = {}) =>
      post(template, { rows, later: true, ...(fresh ? { fresh } : {}), ...(callBack === undefined ? {} : { callBack }) }, wish),
    later: (id, options) => json(`/answers/${encodeURIComponent(id)}`, "GET", undefined, options),
    underWay: async (options) => (await json<{ underWay: UnderWay[] }>("/under-way", "GET", undefined, options)).underWay,
    run: (id, act, options) =>
      json(`/under-way/${encodeURIComponent(id)}${act ? `/${act}` : ""}`, act ? "POST" : "GET", undefined, options),
    async upload(name, bytes, { replace = false, ...options } = {}) {
      const init = {
        method: "PUT",
        headers: { "content-type": "application/octet-stream" },
        body: bytes as BodyInit,
        ...signalOf(options),
      };
      return (await (await request(`/tables/${encodeURIComponent(name)}${replace ? "?replace=true" : ""}`, init)).json()) as Uploaded;
    },
    async download(plan, as = "result", { seen, ...options } = {}) {
      const query = new URLSearchParams({ as, ...(seen === undefined ? {} : { seen: JSON.stringify(seen) }) });
      const response = await request(`/plans/${encodeURIComponent(plan)}/table/file?${query}`, { ...signalOf(options) });
      const [, name = plan] = /filename\*=UTF-8''(\S+)/.exec(response.headers.get("content-disposition") ?? "") ?? [];
      return { name: decodeURIComponent(name), bytes: await response.blob() };
    },
    async listen(on, { last, signal, onLost, onFound } = {}) {
      let seen = last;
      while (!signal?.aborted) {
        try {
          const headers = seen === undefined ? {} : { "last-event-id": seen };
          const response = await request("/events", { headers: { ...headers, accept: "text/event-stream" }, ...signalOf({ signal }) });
          onFound?.();
          for await (const event of eventsOf(response)) {
            seen = event.id;
            on(event);
          }
        } catch (error) {
          if (signal?.aborted) return;
          if (error instanceof ServerError && error.status < 500 && error.status !== 429) throw error;
        }
        if (signal?.aborted) return;
        onLost?.();
        await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      }
    },
  } satisfies Omit<Client, RouteName>;
  // Each of the calls has the types of its own job; a list of entries has lost them.
  return { ...(calls as unknown as Calls), ...others };
}

const signalOf = ({ signal }: CallOptions): { signal?: AbortSignal } => (signal ? { signal } : {});

/** Where the parts of an input stand: in the path; in the query of what only reads, else in the body. */
function placed({ method, path }: Route, input: Readonly<Record<string, unknown>>): { path: string; body?: unknown } {
  const keys = pathKeys(path);
  const filled = keys.reduce((whole, key) => whole.replace(`{${key}}`, encodeURIComponent(String(input[key]))), path);
  const rest = Object.entries(input).filter(([key, value]) => !keys.includes(key) && value !== undefined);
  if (method !== "GET" && method !== "DELETE") return { path: filled, body: Object.fromEntries(rest) };
  const query = new URLSearchParams(
    rest.flatMap(([key, value]) => (Array.isArray(value) ? value : [value]).map((one) => [key, String(one)])),
  );
  return { path: query.size > 0 ? `${filled}?${query}` : filled };
}

async function serverError(response: Response): Promise<ServerError> {
  const problem = ((await response.json().catch(() => undefined)) ?? {}) as { code?: string; detail?: string };
  return new ServerError(response.status, problem.code ?? "unexpected", problem.detail ?? `HTTP ${response.status}`, { ...problem });
}

/** The events of a stream, each once it is whole. */
async function* eventsOf(response: Response): AsyncGenerator<LiveEventOf> {
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let text = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    text += value;
    const whole = text.split("\n\n");
    text = whole.pop()!;
    for (const one of whole) {
      const fields = new Map(one.split("\n").map((line) => [line.slice(0, line.indexOf(":")), line.slice(line.indexOf(":") + 1).trim()]));
      const data = fields.get("data");
      if (data !== undefined) yield { id: fields.get("id") ?? "", type: fields.get("event"), data: JSON.parse(data) } as LiveEventOf;
    }
  }
}
