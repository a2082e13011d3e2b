import http from "node:http";
import https from "node:https";
import { pipeline, type Readable } from "node:stream";
import { createBrotliDecompress, createGunzip, createInflate } from "node:zlib";
import type { WebReply, WebRequest } from "./fetch-address.js";

/** Where a request is connected to: by a way of its own to look up names, or to one port whatever the name. */
export interface Line {
  readonly agents: { readonly "http:": http.Agent; readonly "https:": https.Agent };
  readonly to?: { readonly host: string; readonly port: number } | undefined;
}

/** One request over Node's own HTTP; its body comes unpacked. */
export function sendHttp({ url, headers, signal }: WebRequest, { agents, to }: Line): Promise<WebReply> {
  const protocol = to ? "http:" : (url.protocol as "http:" | "https:");
  const { request } = protocol === "https:" ? https : http;
  return new Promise((resolve, reject) => {
    const options = {
      agent: agents[protocol],
      signal,
      headers: { ...headers, "accept-encoding": "gzip, deflate, br", host: url.host },
      ...(to ? { host: to.host, port: to.port, path: `${url.pathname}${url.search}` } : {}),
    };
    const sent = to ? request(options) : request(url, options);
    sent.on("error", reject);
    sent.on("response", (response) => {
      const given = Object.fromEntries(
        Object.entries(response.headers).map(([name, value]) => [name, Array.isArray(value) ? value[0] : value]),
      );
      resolve({ status: response.statusCode ?? 0, headers: given, body: unpacked(response, given["content-encoding"]) });
    });
    sent.end();
  });
}

/** Whoever counts a body's bytes counts what they come to. */
function unpacked(body: Readable, encoding = "identity"): AsyncIterable<Uint8Array> {
  const through =
    encoding === "gzip" || encoding === "x-gzip"
      ? createGunzip()
      : encoding === "deflate"
        ? createInflate()
        : encoding === "br"
          ? createBrotliDecompress()
          : undefined;
  // What goes wrong with either is thrown where the bytes are read.
  return through ? pipeline(body, through, () => undefined) : body;
}
