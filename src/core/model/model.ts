import type { CancelSignal, Json } from "../ground/index.js";
import type { PictureCost } from "./picture.js";
import type { Message } from "../ground/index.js";

/** One request to a model. */
export interface ModelRequest {
  readonly messages: readonly Message[];
  /** JSON Schema of the answer; a model that cannot take one ignores it. */
  readonly schema?: Record<string, Json> | undefined;
  readonly schemaName?: string | undefined;
  readonly temperature?: number | undefined;
  readonly maxTokens: number;
  readonly seed?: number | undefined;
  /** Whether the probability of each token of the reply is wanted; a host that cannot tell leaves it out. */
  readonly logProbabilities?: boolean | undefined;
  /** The step that the request is charged to; for logs, no host is told. */
  readonly chargedTo?: string | undefined;
}

/** Why a model stopped: it was done, ran out of tokens, its host filtered the text, it refused, or it did not say. */
export type Finish = "stop" | "length" | "filtered" | "refused" | "unknown";

/** Tokens of a request and its reply. */
export interface Usage {
  readonly tokensIn: number;
  readonly tokensOut: number;
}

/** What a host says of itself with a reply. */
export interface HostSays {
  /** The model that answered, by the host's own name. */
  readonly model?: string | undefined;
  /** A fingerprint of the system that it ran on. */
  readonly system?: string | undefined;
}

/** What a model said, and how it ended. */
export interface ModelReply {
  readonly text: string;
  readonly finish: Finish;
  /** The model's own words when it refused. */
  readonly refusal?: string | undefined;
  /** As the host counted them; absent when it did not say. */
  readonly usage?: Usage | undefined;
  /** The reply's tokens in order with their natural log probabilities, where they were asked for and the host gives them. */
  readonly tokens?: readonly { readonly text: string; readonly logProbability: number }[] | undefined;
  /** What the host says that it still allows, and until when that counts. */
  readonly allowance?: { readonly requests: number; readonly resetMs: number } | undefined;
  /** The host's id of the reply, for its support. */
  readonly id?: string | undefined;
  readonly host?: HostSays | undefined;
}

/** The price of a million tokens, in units of the project's currency. */
export interface Price {
  readonly input: number;
  readonly output: number;
}

/** How much a model may be asked. */
export interface ModelLimits {
  readonly requestsPerMinute?: number | undefined;
  readonly tokensPerMinute?: number | undefined;
  readonly atOnce?: number | undefined;
  /** A second request goes out when a reply takes this many times the usual; the first to arrive wins. Default: never. */
  readonly secondRequestAfter?: number | undefined;
  /** Most attempts for one request, the first included. Default 6; 1 where the model tries again by itself. */
  readonly attempts?: number | undefined;
  /** How long a host that keeps failing is waited for before a run ends. Default 5 minutes. */
  readonly patienceMs?: number | undefined;
}

/**
 * The port to a language model: one request, one attempt. Retries, pace and budget are wrapped around it.
 * Every failure is thrown as a `ModelFailure`.
 */
export interface Model {
  readonly id: string;
  /** Who serves it: an address, or `standin`. Part of an answer's fingerprint. */
  readonly host: string;
  readonly price?: Price | undefined;
  readonly limits?: ModelLimits | undefined;
  /** What it counts for a picture. Default: rather more than most do. */
  readonly pictures?: PictureCost | undefined;
  /** Most tokens that a request and its reply may have together, where it is known. */
  readonly context?: number | undefined;
  /**
   * Whether an aborted signal ends its requests by itself. Default: not known, so whoever cancels leaves it to finish unseen.
   */
  readonly hearsSignal?: boolean | undefined;
  /** One attempt. Rejects with a `ModelFailure`; another error counts as one of the kind `broken`. */
  ask(request: ModelRequest, signal?: CancelSignal): Promise<ModelReply>;
}

declare const ASKED: unique symbol;

/** A model as `core/asking` gives it out, with all that asking at size needs around it; nobody else asks a bare one. */
export type AskedModel = Model & { readonly [ASKED]: true };

/**
 * Why an attempt failed. `busy` (429), `server` (5xx), `network`, `timeout` and `garbled` (a reply that is not the
 * protocol's) may pass and are tried again, and so may `broken`, an error of the model's own code; `gone`, a host that kept failing beyond
 * all patience, `unauthorised`, `quota` and `rejected` are final for the whole run;
 * `cancelled` is the user's own doing.
 */
export type FailureKind =
  "busy" | "server" | "network" | "timeout" | "garbled" | "unauthorised" | "quota" | "rejected" | "gone" | "cancelled" | "broken";

const PASSING: ReadonlySet<FailureKind> = new Set(["busy", "server", "network", "timeout", "garbled", "broken"]);
/** Failures after which the host may have done the work, and charged for it, without our seeing the reply. */
const MAYBE_CHARGED: ReadonlySet<FailureKind> = new Set(["network", "timeout", "garbled", "cancelled", "broken"]);

/**
 * How a model failed to answer; `kind` tells whether trying again may help.
 *
 * @example
 * ```ts
 * import { ModelFailure } from "yoroshi";
 *
 * new ModelFailure("busy", "too many requests", { status: 429, retryAfterMs: 2_000 }).mayPass; // => true
 * new ModelFailure("unauthorised", "no such key").mayPass; // => false
 * ```
 */
export class ModelFailure extends Error {
  override readonly name = "ModelFailure";
  readonly kind: FailureKind;
  readonly status: number | undefined;
  /** How long the host asks to wait. */
  readonly retryAfterMs: number | undefined;

  constructor(
    kind: FailureKind,
    message: string,
    details: { status?: number | undefined; retryAfterMs?: number | undefined; cause?: unknown } = {},
  ) {
    super(message);
    this.kind = kind;
    this.status = details.status;
    this.retryAfterMs = details.retryAfterMs;
    if (details.cause !== undefined) Object.defineProperty(this, "cause", { value: details.cause, enumerable: false });
  }

  get mayPass(): boolean {
    return PASSING.has(this.kind);
  }

  get maybeCharged(): boolean {
    return MAYBE_CHARGED.has(this.kind);
  }
}

/** Asks nothing itself, but stands around a model: retries, pace, budget. */
export type ModelLayer = (model: Model) => Model;

/** The same model with another way to ask it. */
export function withAsk(model: Model, ask: Model["ask"]): Model {
  return {
    id: model.id,
    host: model.host,
    price: model.price,
    limits: model.limits,
    pictures: model.pictures,
    context: model.context,
    hearsSignal: model.hearsSignal,
    ask,
  };
}
