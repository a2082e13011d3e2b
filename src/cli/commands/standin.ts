import { nearest, YoroshiError } from "../../core/index.js";
import { FAULTS, standinServer, type Fault, type FaultShares } from "../../services/standin-server/index.js";
import { note, out, table } from "../print/print.js";

interface StandinCommandOptions {
  readonly port?: number | undefined;
  readonly latency?: number | undefined;
  readonly rate?: number | undefined;
  readonly fault?: readonly string[] | undefined;
  readonly seed?: number | undefined;
  readonly key?: string | undefined;
  readonly listFaults?: boolean | undefined;
}

/** `yoroshi standin`: serves the stand-in until it is interrupted. The address is the one line on standard output. */
export async function standinCommand(options: StandinCommandOptions): Promise<number> {
  if (options.listFaults) {
    out(table(["fault", "what happens"], Object.entries(FAULTS)));
    return 0;
  }
  const server = await standinServer({
    port: options.port,
    latencyMs: options.latency,
    requestsPerMinute: options.rate,
    faults: faultsOf(options.fault),
    seed: options.seed,
    key: options.key,
  }).catch((error: unknown) => {
    const code = (error as { code?: string }).code;
    throw code === "EADDRINUSE" || code === "EACCES"
      ? new YoroshiError("badOption", {
          option: "--port",
          problem: code === "EACCES" ? "this port may not be used." : "something else uses this port.",
        })
      : error;
  });
  out(server.endpoint);
  note("Serving the stand-in model. Write this address into yoroshi.yaml as `endpoint:`. Ctrl-C ends it.");
  await new Promise<void>((resolve) => {
    process.once("SIGINT", resolve);
    process.once("SIGTERM", resolve);
  });
  await server.close();
  return 0;
}

function faultsOf(pairs: readonly string[] = []): FaultShares {
  const names = Object.keys(FAULTS);
  return Object.fromEntries(
    pairs.map((pair): [Fault, number] => {
      const [name = "", share = "1"] = pair.split("=");
      if (!names.includes(name)) {
        const near = nearest(name, names);
        throw new YoroshiError("badOption", {
          option: "--fault",
          problem: `there is no fault \`${name}\`.${near ? ` Did you mean \`${near}\`?` : ""} --list-faults lists them.`,
        });
      }
      const number = Number(share);
      if (!(number >= 0 && number <= 1))
        throw new YoroshiError("badOption", { option: "--fault", problem: `the share of \`${name}\` must be a number from 0 to 1.` });
      return [name as Fault, number];
    }),
  );
}
