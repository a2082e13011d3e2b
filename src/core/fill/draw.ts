import { workOf, type FillOptions, type FillSetup, type Work, walk } from "../cells/index.js";
import { patternsReady, sha256Hex } from "../ground/index.js";

/** The work on the rows that are chosen; a sample is drawn first. */
export async function chosenWork(setup: FillSetup, options: FillOptions): Promise<Work> {
  const work = workOf(setup, options);
  await patternsReady();
  return options.sample === undefined ? work : { ...work, only: new Set(await drawKeys(work, options.sample, options.seed ?? 1)) };
}

/**
 * Draws rows at random: those whose keys, hashed with the seed, come first. So the same seed draws the same rows, and memory
 * depends on how many are drawn, not on the table.
 */
async function drawKeys(work: Work, count: number, seed: number): Promise<string[]> {
  let drawn: { readonly key: string; readonly rank: string }[] = [];
  const tidy = (): void => {
    drawn.sort((a, b) => (a.rank < b.rank ? -1 : a.rank > b.rank ? 1 : 0));
    drawn = drawn.slice(0, count);
  };
  for await (const { rows } of walk(work)) {
    for (const { row } of rows) {
      if (row.problem !== undefined) continue;
      drawn.push({ key: row.key, rank: `${(work.sha256 ?? sha256Hex)(`${seed} ${row.key}`)} ${row.key}` });
      if (drawn.length >= 2 * count + 1_000) tidy();
    }
  }
  tidy();
  return drawn.map(({ key }) => key);
}
