import { errorJson, knownError } from "../jobs/index.js";
import { visible, visibleJson } from "./print/visible.js";

/** Tells an error: a sentence on standard error, and with `--json` an object on standard output. Gives the exit code. */
export function reportError(error: unknown, json: boolean): number {
  const known = knownError(error);
  tellError(known.message);
  if (process.env["YOROSHI_DEBUG"] && error instanceof Error) process.stderr.write(`${error.stack}\n`);
  if (json) process.stdout.write(`${visibleJson({ error: errorJson(error) })}\n`);
  return known.exit;
}

/** The sentence of an error, on standard error. */
export function tellError(message: string): void {
  process.stderr.write(`error: ${visible(message)}\n`);
}
