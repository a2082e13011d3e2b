import type { IncomingMessage } from "node:http";
import type { Context } from "hono";
import { YoroshiError } from "../core/ground/index.js";

/** JSON that is nested deeper is nobody's request. */
const MOST_DEPTH = 64;

/** The JSON of a request's body, an object; `{}` where there is none. */
export async function readJson(c: Context, mostBytes: number): Promise<Record<string, unknown>> {
  const text = new TextDecoder().decode(await readBytes(c, mostBytes));
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
async function readBytes(c: Context, mostBytes: number): Promise<Uint8Array> {
  const tooLarge = (): YoroshiError => new YoroshiError("tooLarge", { what: "The body", bytes: mostBytes });
  if (Number(c.req.header("content-length") ?? 0) > mostBytes) throw tooLarge();
  const { body } = c.req.raw;
  if (!body) return new Uint8Array();
  const pieces: Uint8Array[] = [];
  let size = 0;
  // A stream of Node can be walked; its type does not say so.
  for await (const piece of body as unknown as AsyncIterable<Uint8Array>) {
    size += piece.length;
    if (size > mostBytes) throw tooLarge();
    pieces.push(piece);
  }
  return Buffer.concat(pieces);
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
