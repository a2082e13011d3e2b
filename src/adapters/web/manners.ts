import * as robotsModule from "robots-parser";
import type { Clock, SourceProblem } from "../../core/index.js";
import { AGENT, fetchAddress, type WebSend } from "./fetch-address.js";

const ROBOTS_LIMITS = { timeoutMs: 10_000, maxBytes: 512 * 1024, maxRedirects: 3 };
const ROBOTS_AGE_MS = 24 * 3_600_000;

// The package is one function, which its types call a default export.
const robotsParser = (robotsModule.default ?? robotsModule) as unknown as (
  address: string,
  text: string,
) => {
  isAllowed(address: string, agent: string): boolean | undefined;
  getCrawlDelay(agent: string): number | undefined;
};

/** How hosts are treated: what they ask robots for is kept to, and none is asked too often. */
export interface Manners {
  /** Waits until a host may be asked again; says why an address is not to be asked at all. */
  before(url: URL): Promise<SourceProblem | undefined>;
}

type Robots = { readonly isAllowed: (address: string) => boolean; readonly until: number; readonly pauseMs: number };

/** @param pauseMs between two requests to one host; a host may ask for more, up to a minute. */
export function manners(send: WebSend, clock: Clock, pauseMs: number): Manners {
  const known = new Map<string, Promise<Robots>>();
  const turns = new Map<string, Promise<void>>();

  const readRobots = async (origin: string): Promise<Robots> => {
    const address = `${origin}/robots.txt`;
    const fetched = await fetchAddress(address, { send, limits: ROBOTS_LIMITS, before: async () => undefined });
    // RFC 9309: what a host does not have allows all; where it cannot be had for its failing, nothing is asked.
    if ("problem" in fetched)
      return { isAllowed: () => fetched.mayPass !== true, until: clock.now() + (fetched.mayPass ? 60_000 : ROBOTS_AGE_MS), pauseMs };
    const robots = robotsParser(address, new TextDecoder().decode(fetched.bytes));
    const delay = robots.getCrawlDelay(AGENT);
    return {
      isAllowed: (page) => robots.isAllowed(page, AGENT) !== false,
      until: clock.now() + ROBOTS_AGE_MS,
      pauseMs: Math.max(pauseMs, Math.min(60, delay ?? 0) * 1_000),
    };
  };
  const robotsOf = async (origin: string): Promise<Robots> => {
    const before = await known.get(origin);
    if (before && before.until > clock.now()) return before;
    const reading = readRobots(origin);
    known.set(origin, reading);
    return reading;
  };
  return {
    before: async (url) => {
      const robots = await robotsOf(url.origin);
      if (!robots.isAllowed(url.href)) return { problem: "is not to be read by programs: its host's robots.txt says so" };
      // Each waits for the one before it, and then as long as the host wants to be left alone.
      const last = turns.get(url.host) ?? Promise.resolve();
      const mine = last.then(() => (robots.pauseMs > 0 ? clock.sleep(robots.pauseMs) : undefined));
      turns.set(
        url.host,
        mine.catch(() => undefined),
      );
      await last;
      return undefined;
    },
  };
}
