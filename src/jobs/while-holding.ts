import { claim, YoroshiError } from "../core/index.js";
import type { Project } from "../project/index.js";

const LOOK_AGAIN_MS = 50;
const MOST_LOOKS = 200;

/**
 * Does something while nobody else holds a name, in whatever process; others wait some seconds for it.
 *
 * @param what as messages call it.
 * @throws YoroshiError `tableBusy` for one that is not let go of in time; whatever `act` throws.
 */
export async function whileHolding<T>(project: Project, name: string, what: string, act: () => Promise<T>): Promise<T> {
  const { clock } = project;
  for (let left = MOST_LOOKS; left > 0; left--) {
    const letGo = await claim(project.ledger(), clock, name);
    if (!letGo) {
      await clock.sleep(LOOK_AGAIN_MS);
      continue;
    }
    try {
      return await act();
    } finally {
      await letGo();
    }
  }
  throw new YoroshiError("tableBusy", { table: what });
}
