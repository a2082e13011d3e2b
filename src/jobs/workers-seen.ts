import { CHUNK, chunkNames, readKept, SPREAD, SPREAD_NAMES, WORKER, WORKER_NAMES, type WorkerRecord } from "../core/index.js";
import type { Project } from "../project/index.js";

/** A worker that was not heard for so long is not there. */
const SILENT_MS = 15_000;

/** The processes that work for the project at this moment, by name. */
export async function workersOf(project: Project): Promise<Map<string, WorkerRecord>> {
  const found = new Map<string, WorkerRecord>();
  for (const [name, kept] of await project.ledger().facts.find(WORKER_NAMES)) {
    const worker = readKept(WORKER, kept);
    if (worker && Math.abs(project.clock.now() - worker.seen) < SILENT_MS) found.set(name.slice(WORKER_NAMES.length), worker);
  }
  return found;
}

/** Who works at this moment, and how far a spread fill of a plan is. */
export async function spreadState(project: Project, plan: string) {
  const workers = [...(await workersOf(project))].map(([name, { chunks, asked, pace, refuses }]) => ({
    name,
    chunks,
    asked,
    pace,
    ...(refuses?.[plan] === undefined ? {} : { refuses: refuses[plan] }),
  }));
  const { facts } = project.ledger();
  for (const [name, kept] of await facts.find(SPREAD_NAMES)) {
    if (readKept(SPREAD, kept)?.plan !== plan) continue;
    const run = name.slice(SPREAD_NAMES.length);
    const chunks = [...(await facts.find(chunkNames(run))).values()].flatMap((one) => readKept(CHUNK, one) ?? []);
    const inState = (state: string): number => chunks.filter((chunk) => chunk.state === state).length;
    const again = chunks.filter(({ times }) => times > 1).length;
    return { workers, spread: { run, waiting: inState("waiting"), taken: inState("taken"), again } };
  }
  return { workers };
}
