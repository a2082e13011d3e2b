import { lookup as lookUp, type LookupAddress } from "node:dns";
import http from "node:http";
import https from "node:https";
import { isIP } from "node:net";
import ipaddr from "ipaddr.js";
import { PrivateAddress, type WebSend } from "./fetch-address.js";
import { sendHttp } from "./send-http.js";

/** Whether an address belongs to the open internet; one of the fourth version within the sixth counts as what it is. */
export function isPublic(address: string): boolean {
  return ipaddr.isValid(address) && ipaddr.process(address).range() === "unicast";
}

/**
 * Sends over the network, to public addresses only. They are looked at when connecting, so that a name server that changes its mind between
 * two questions changes nothing.
 */
export function sendGuarded(isAllowed: (host: string) => boolean, lookup = lookUp as Lookup): WebSend {
  const guarded = guardedBy(lookup);
  const agents = (own: object): { "http:": http.Agent; "https:": https.Agent } => ({
    "http:": new http.Agent(own),
    "https:": new https.Agent(own),
  });
  // No connection is kept: one that was made to an allowed host is never another one's.
  const lines = { guarded: { agents: agents({ lookup: guarded }) }, free: { agents: agents({}) } };
  return async (request) => {
    const { host, hostname } = request.url;
    const name = hostname.replace(/^\[|\]$/g, "");
    const isFree = isAllowed(host) || isAllowed(name);
    // Of a literal address nothing is looked up.
    if (!isFree && isIP(name) !== 0 && !isPublic(name)) throw new PrivateAddress(name);
    return sendHttp(request, isFree ? lines.free : lines.guarded);
  };
}

type Done = (error: NodeJS.ErrnoException | null, address?: string | LookupAddress[], family?: number) => void;
type Lookup = (host: string, options: object, done: Done) => void;

/** Every address that a name has must be public, or the name leads into a private network. */
const guardedBy =
  (lookup: Lookup): Lookup =>
  (host, options, done) => {
    lookup(host, { ...options, all: true }, (error, addresses) => {
      if (error) return done(error);
      const found = addresses as LookupAddress[];
      if (found.length === 0 || found.some(({ address }) => !isPublic(address))) return done(new PrivateAddress(host));
      if ((options as { all?: boolean }).all) return done(null, found);
      done(null, found[0]!.address, found[0]!.family);
    });
  };
