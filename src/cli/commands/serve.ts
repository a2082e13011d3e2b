import { readFileSync } from "node:fs";
import { isYoroshiError, YoroshiError } from "../../core/ground/index.js";
import { endToken, listTokens, makeToken, runJob, setUpDemo } from "../../jobs/index.js";
import type { Served } from "../../server/index.js";
import { openFile } from "../open-file.js";
import { note, out, outJson, quiet, table } from "../print/print.js";
import { untilInterrupted } from "../signals.js";
import { whoIs } from "../who.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ServeCommandOptions extends CommonOptions {
  readonly port?: number | undefined;
  readonly as?: string | undefined;
  readonly host?: string | undefined;
  readonly tlsCert?: string | undefined;
  readonly tlsKey?: string | undefined;
  readonly perMinute?: number | undefined;
  readonly mcp?: boolean | undefined;
}

/** `yoroshi serve`: until it is interrupted. The link is the one line on standard output. */
export async function serve(options: ServeCommandOptions): Promise<number> {
  const { project: folder, port, host, tlsCert, tlsKey, perMinute } = options;
  if (options.mcp) {
    const { serveMcp } = await import("../../server/index.js");
    await serveMcp(folder, note, untilInterrupted());
    return 0;
  }
  const tls = tlsCert === undefined || tlsKey === undefined ? undefined : { cert: readFile(tlsCert), key: readFile(tlsKey) };
  const { serveProject } = await import("../../server/index.js");
  return serveUntilEnd(await serveProject({ folder, port, host, tls, perMinute, onNotice: note }), options);
}

interface OpenCommandOptions extends CommonOptions {
  readonly port?: number | undefined;
  readonly as?: string | undefined;
  readonly demo?: boolean | undefined;
  readonly browser: boolean;
}

const DEMO_FOLDER = "marrowby";

/** `yoroshi open`: the desk in the browser; in a folder without a project it begins one. */
export async function open(options: OpenCommandOptions): Promise<number> {
  const { project, port, demo, browser } = options;
  if (demo) await runJob(setUpDemo, undefined, { folder: project ?? DEMO_FOLDER });
  const folder = project ?? (demo ? DEMO_FOLDER : undefined);
  const { serveProject } = await import("../../server/index.js");
  const serving = { folder, orNew: true, onNotice: note };
  // Where the usual port is taken, perhaps by the desk of another project, any other will do.
  const served = await serveProject({ ...serving, port }).catch((error: unknown) => {
    if (port !== undefined || !(isYoroshiError(error) && error.code === "portTaken")) throw error;
    return serveProject({ ...serving, port: 0 });
  });
  return serveUntilEnd(served, options, browser ? openFile : undefined);
}

/** Prints the link, and serves until it is interrupted. */
async function serveUntilEnd(
  served: Served,
  { as, json }: { readonly as?: string | undefined; readonly json?: boolean | undefined },
  show?: (link: string) => void,
): Promise<number> {
  const person = whoIs(as);
  const link = served.link(person);
  if (json) outJson({ address: served.address, link });
  else out(link);
  note(`Open this link within ten minutes; it works once, for ${person}. ${quiet("Ctrl-C ends the server.")}`);
  show?.(link);
  const signal = untilInterrupted();
  await new Promise<void>((resolve) => signal.addEventListener("abort", () => resolve(), { once: true }));
  note("Finishing what is in flight …");
  await served.close();
  return 0;
}

function readFile(file: string): Buffer {
  try {
    return readFileSync(file);
  } catch (error) {
    throw new YoroshiError("fileUnreadable", { file, problem: (error as { code?: string }).code ?? "it failed" }, { cause: error });
  }
}

interface TokenOptions extends CommonOptions {
  readonly person?: string | undefined;
  readonly right: "answer" | "read" | "work";
  readonly template?: string | undefined;
  readonly perDay?: number | undefined;
  readonly days?: number | undefined;
  readonly end?: string | undefined;
}

/** `yoroshi serve token`: makes, lists and ends the tokens of programs. */
export async function token(name: string | undefined, options: TokenOptions): Promise<number> {
  return withProject(options, async (project) => {
    const { person, right, template, perDay, days, end, json } = options;
    if (end !== undefined) {
      const ended = await runJob(endToken, project, { id: end });
      if (json) outJson(ended);
      else out(`${ended.name} works no longer.`);
      return 0;
    }
    if (name === undefined) {
      const { tokens } = await runJob(listTokens, project, {});
      if (json) outJson({ tokens });
      else if (tokens.length === 0) out("There are no tokens. `yoroshi serve token <name>` makes one.");
      else
        out(
          table(
            ["token", "for", "whose", "may", "asked today", "until"],
            tokens.map((one) => [
              one.id,
              one.name,
              one.person,
              one.template === undefined ? one.right : `${one.right} ${one.template}`,
              `${one.askedToday} of ${one.perDay}`,
              one.works ? one.until.slice(0, 10) : "ended",
            ]),
          ),
        );
      return 0;
    }
    const made = await runJob(makeToken, project, { name, person: whoIs(person), right, template, perDay, days });
    if (json) outJson(made);
    else {
      out(made.token);
      const of = made.template === undefined ? "all templates" : made.template;
      note(
        `It may ${made.right} (${of}), asks at most ${made.perDay} questions a day, and works until ${made.until.slice(0, 10)}. It is shown this once.`,
      );
    }
    return 0;
  });
}
