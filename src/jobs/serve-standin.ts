import * as z from "zod";
import { nearest, YoroshiError } from "../core/index.js";
import { FAULTS, standinServer, type Fault } from "../services/standin-server/index.js";
import { standinWeb } from "../services/standin-web/index.js";
import { aborted } from "./aborted.js";
import { defineFreeJob } from "./job.js";

const input = z.strictObject({
  /** Any free port when not given. */
  port: z.int().min(0).max(65_535).optional(),
  /** How long a reply takes. */
  latencyMs: z.number().min(0).optional(),
  /** Requests allowed a minute. */
  requestsPerMinute: z.number().min(0).optional(),
  /** Fault -> the share of requests that go wrong so. */
  faults: z.record(z.string(), z.number()).optional(),
  /** Seed of the faults. */
  seed: z.int().optional(),
  /** Answer only requests with this key. */
  key: z.string().optional(),
});

const report = z.object({ endpoint: z.string() });

/** The stand-in listens at this address. */
const event = z.object({ type: z.literal("listening"), endpoint: z.string() });

export type StandinEvent = z.output<typeof event>;

/** What can be made to go wrong, and what happens then. */
export const listFaults = defineFreeJob({
  name: "listFaults",
  summary: "Lists what can be made to go wrong at the stand-in.",
  input: z.strictObject({}),
  report: z.object({ faults: z.array(z.object({ name: z.string(), about: z.string() })) }),
  async run() {
    return { faults: Object.entries(FAULTS).map(([name, about]) => ({ name, about })) };
  },
});

/** Serves the stand-in model over HTTP on this machine until the signal. */
export const serveStandin = defineFreeJob<typeof input, typeof report, StandinEvent>({
  name: "serveStandin",
  summary: "Serves the offline stand-in model over HTTP on this machine.",
  input,
  report,
  event,
  async run({ faults = {}, ...options }, { signal, stop, on }) {
    checkFaults(faults);
    const server = await standinServer({ ...options, faults }).catch((error: unknown) => {
      throw portProblem((error as { code?: string }).code) ?? error;
    });
    on?.({ type: "listening", endpoint: server.endpoint });
    await aborted(signal, stop);
    await server.close();
    return { endpoint: server.endpoint };
  },
});

const webInput = z.strictObject({ /** Any free port when not given. */ port: z.int().min(0).max(65_535).optional() });

/** The small web listens at this address, or was asked for a page of a host. */
const webEvent = z.discriminatedUnion("type", [event, z.object({ type: z.literal("asked"), address: z.string() })]);

/** Serves the stand-in's small web, and the engine that searches it, on this machine until the signal. */
export const serveStandinWeb = defineFreeJob<typeof webInput, typeof report, z.output<typeof webEvent>>({
  name: "serveStandinWeb",
  summary: "Serves the stand-in's small web of pages, and an engine that searches it, on this machine.",
  input: webInput,
  report,
  event: webEvent,
  async run({ port }, { signal, stop, on }) {
    const server = await standinWeb({ port, onAsked: (address) => on?.({ type: "asked", address }) }).catch((error: unknown) => {
      throw portProblem((error as { code?: string }).code) ?? error;
    });
    const endpoint = `http://127.0.0.1:${server.port}`;
    on?.({ type: "listening", endpoint });
    await aborted(signal, stop);
    await server.close();
    return { endpoint };
  },
});

function portProblem(code: string | undefined): YoroshiError | undefined {
  if (code === "EACCES") return new YoroshiError("badOption", { option: "--port", problem: "this port may not be used." });
  return code === "EADDRINUSE" ? new YoroshiError("badOption", { option: "--port", problem: "something else uses this port." }) : undefined;
}

function checkFaults(faults: Readonly<Record<string, number>>): asserts faults is Record<Fault, number> {
  const names = Object.keys(FAULTS);
  for (const [name, share] of Object.entries(faults)) {
    if (!names.includes(name)) {
      const near = nearest(name, names);
      throw new YoroshiError("badOption", {
        option: "--fault",
        problem: `there is no fault \`${name}\`.${near ? ` Did you mean \`${near}\`?` : ""} --list-faults lists them.`,
      });
    }
    if (!(share >= 0 && share <= 1))
      throw new YoroshiError("badOption", { option: "--fault", problem: `the share of \`${name}\` must be a number from 0 to 1.` });
  }
}
