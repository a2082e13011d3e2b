import { errorJson, knownError } from "../jobs/index.js";
import { visible, visibleJson } from "./print/visible.js";

/** Tells an error: a sentence on standard error, and with `--json` an object on standard output. Gives the exit code. */
export function reportError(error: unknown, json: boolean): number {
  const known = knownError(error);
  process.stderr.write(`error: ${visible(known.message)}\n`);
  if (process.env["YOROSHI_DEBUG"] && error instanceof Error) process.stderr.write(`${error.stack}\n`);
  if (json) process.stdout.write(`${visibleJson({ error: errorJson(error) })}\n`);
  return known.exit;
}
