import { patternsReady } from "../ground/index.js";
import { workOf, type FillOptions, type FillSetup, type Work } from "./setup.js";

/** The work on the rows that are chosen; a sample is drawn first. */
export async function chosenWork(setup: FillSetup, options: FillOptions): Promise<Work> {
  const work = workOf(setup, options);
  await patternsReady();
  if (options.sample === undefined) return work;
  const { drawKeys } = await import("./draw-keys.js");
  return { ...work, only: new Set(await drawKeys(work, options.sample, options.seed ?? 1)) };
}
