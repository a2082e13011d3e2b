import path from "node:path";
import { watch } from "chokidar";
import type { Project } from "../jobs/index.js";
import type { Live } from "./live.js";

const LOOK_MS = 1_000;
const QUIET_MS = 150;
const PROJECT_FILE = "yoroshi.yaml";

/**
 * Tells listeners when files of the project change, when another process has recorded something, and has the project opened anew when its
 * own file has changed. Returns the way to stop.
 */
export async function watchProject(
  project: () => Project,
  live: Live,
  reopen: () => Promise<void>,
  onFile: (file: string) => void = () => undefined,
): Promise<() => Promise<void>> {
  const { root } = project();
  const watcher = watch(root, {
    ignored: (file) => /(^|[\\/])(\.[^\\/]+|node_modules)$/.test(path.relative(root, file)),
    ignoreInitial: true,
    depth: 4,
    atomic: true,
    awaitWriteFinish: { stabilityThreshold: QUIET_MS, pollInterval: 50 },
  });
  watcher.on("error", () => undefined);
  watcher.on("all", (event, file) => {
    if (event === "addDir" || event === "unlinkDir") return;
    const name = path.relative(root, file).split(path.sep).join("/");
    if (name === PROJECT_FILE) void reopen().catch(() => live.again());
    live.files(name);
    onFile(name);
  });
  let mark = await project().ledger().mark();
  const timer = setInterval(() => void look(), LOOK_MS);
  timer.unref();
  return async () => {
    clearInterval(timer);
    await watcher.close();
  };

  async function look(): Promise<void> {
    if (live.listeners === 0) return;
    const now = await project()
      .ledger()
      .mark()
      .catch(() => mark);
    if (now !== mark) live.again();
    mark = now;
  }
}
