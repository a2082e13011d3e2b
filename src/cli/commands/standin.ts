import { YoroshiError } from "../../core/ground/index.js";
import { listFaults, runJob, serveStandin, serveStandinWeb } from "../../jobs/index.js";
import { note, out, table } from "../print/print.js";
import { untilInterrupted } from "../signals.js";

interface StandinCommandOptions {
  readonly port?: number | undefined;
  readonly latency?: number | undefined;
  readonly rate?: number | undefined;
  readonly fault?: readonly string[] | undefined;
  readonly seed?: number | undefined;
  readonly key?: string | undefined;
  readonly listFaults?: boolean | undefined;
  readonly web?: boolean | undefined;
}

/** `yoroshi standin`: serves the stand-in, or its web, until it is interrupted. The address is the one line on standard output. */
export async function standinCommand(options: StandinCommandOptions): Promise<number> {
  if (options.listFaults) {
    const { faults } = await runJob(listFaults, undefined, {});
    out(
      table(
        ["fault", "what happens"],
        faults.map(({ name, about }) => [name, about]),
      ),
    );
    return 0;
  }
  if (options.web) return await serveWeb(options);
  const { port, latency, rate, fault, seed, key } = options;
  await runJob(
    serveStandin,
    undefined,
    { port, latencyMs: latency, requestsPerMinute: rate, faults: sharesOf(fault), seed, key },
    {
      signal: untilInterrupted(),
      on: ({ endpoint }) => {
        out(endpoint);
        note("Serving the stand-in model. Write this address into yoroshi.yaml as `endpoint:`. Ctrl-C ends it.");
      },
    },
  );
  return 0;
}

/** What was asked is told line by line, so that one sees what is fetched, and that nothing is fetched twice. */
async function serveWeb({ port, web: _web, ...others }: StandinCommandOptions): Promise<number> {
  const [other] = Object.keys(others);
  if (other !== undefined)
    throw new YoroshiError("badOption", {
      option: "--web",
      problem: `\`--${other}\` is for the stand-in model; the web takes \`--port\` alone.`,
    });
  await runJob(
    serveStandinWeb,
    undefined,
    { port },
    {
      signal: untilInterrupted(),
      on: (event) => {
        if (event.type === "asked") return note(event.address);
        out(event.endpoint);
        note("Serving the stand-in's web. Write this address into yoroshi.yaml as `web: { use: … }`. Ctrl-C ends it.");
      },
    },
  );
  return 0;
}

/** `name=share`; a share that is left out is all. */
function sharesOf(pairs: readonly string[] = []): Record<string, number> {
  return Object.fromEntries(
    pairs.map((pair) => {
      const [name = "", share = "1"] = pair.split("=");
      const number = Number(share);
      if (!Number.isFinite(number))
        throw new YoroshiError("badOption", { option: "--fault", problem: `the share of \`${name}\` must be a number from 0 to 1.` });
      return [name, number];
    }),
  );
}
