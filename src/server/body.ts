import type { IncomingMessage } from "node:http";
import type { Context } from "hono";
import { YoroshiError } from "../core/ground/index.js";
import type { Carried } from "./guard.js";

/** JSON that is nested deeper is nobody's request. */
const MOST_DEPTH = 64;
const DECODER = new TextDecoder();

/** The JSON of a request's body, an object; `{}` where there is none. */
export async function readJson(c: Context<Carried>, mostBytes: number): Promise<Record<string, unknown>> {
  const text = DECODER.decode(await readBytes(c, mostBytes));
  if (text.trim() === "") return {};
  const type = c.req.header("content-type") ?? "";
  if (!/^application\/(json|[\w.+-]*\+json)\s*(;|$)/i.test(type)) throw new YoroshiError("typeRefused", { expected: "application/json" });
  if (depthOf(text) > MOST_DEPTH) throw new YoroshiError("bodyBroken", { problem: `it is nested deeper than ${MOST_DEPTH} levels` });
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new YoroshiError("bodyBroken", { problem: "it is not JSON" });
  }
  if (typeof value !== "object" || value === null || Array.isArray(value))
    throw new YoroshiError("bodyBroken", { problem: "it is no JSON object" });
  return value as Record<string, unknown>;
}

/** A request's body, as long as it is not too large; what is too large is read no further. */
async function readBytes(c: Context<Carried>, mostBytes: number): Promise<Uint8Array> {
  const { incoming } = c.env;
  if (Number(c.req.header("content-length") ?? 0) > mostBytes) throw new YoroshiError("tooLarge", { what: "The body", bytes: mostBytes });
  // Read from Node's own request: a stream of the web platform would cost as much as a known answer.
  return new Promise((resolve, reject) => {
    const pieces: Buffer[] = [];
    let size = 0;
    const take = (piece: Buffer): void => {
      size += piece.length;
      pieces.push(piece);
      if (size > mostBytes) leave(() => reject(new YoroshiError("tooLarge", { what: "The body", bytes: mostBytes })));
    };
    const whole = (): void => leave(() => resolve(pieces.length === 1 ? pieces[0]! : Buffer.concat(pieces)));
    const broken = (): void => leave(() => reject(new YoroshiError("bodyBroken", { problem: "it broke off" })));
    const leave = (then: () => void): void => {
      incoming.off("data", take).off("end", whole).off("close", broken).off("error", broken);
      then();
    };
    if (incoming.readableEnded) return void whole();
    incoming.on("data", take).on("end", whole).on("close", broken).on("error", broken);
  });
}

/** Aborted when the client hangs up. */
export function hangUp({ env: { outgoing } }: Context<Carried>): AbortSignal {
  const gone = new AbortController();
  outgoing.once("close", () => outgoing.writableFinished || gone.abort());
  return gone.signal;
}

/** How deep brackets are nested, strings left out; found without making anything of them. */
function depthOf(text: string): number {
  let depth = 0;
  let most = 0;
  for (let at = 0; at < text.length; at++) {
    const char = text.charCodeAt(at);
    if (char === 0x22) {
      for (at++; at < text.length && text.charCodeAt(at) !== 0x22; at++) if (text.charCodeAt(at) === 0x5c) at++;
    } else if (char === 0x5b || char === 0x7b) most = Math.max(most, ++depth);
    else if (char === 0x5d || char === 0x7d) depth--;
  }
  return most;
}

const MOST_DRAINED = 8 * 1024 * 1024;
const DRAIN_MS = 1_000;

/**
 * Reads what is still on its way of a request that is refused, so that whoever sends it gets to read why; at most so much, for a moment.
 * Returns whether all of it came.
 */
export async function drain(incoming: IncomingMessage | undefined): Promise<boolean> {
  if (!incoming || incoming.complete || incoming.destroyed) return true;
  return new Promise((resolve) => {
    let seen = 0;
    const timer = setTimeout(() => end(false), DRAIN_MS);
    const take = (piece: Buffer): void => {
      seen += piece.length;
      if (seen > MOST_DRAINED) end(false);
    };
    const whole = (): void => end(true);
    const end = (isWhole: boolean): void => {
      clearTimeout(timer);
      incoming.off("data", take).off("end", whole).off("close", whole);
      resolve(isWhole);
    };
    incoming.on("data", take).on("end", whole).on("close", whole).resume();
  });
}
