import { spawn, type ChildProcess } from "node:child_process";
import { YoroshiError } from "../core/ground/index.js";

interface WorkersWanted {
  readonly spread?: boolean | undefined;
  readonly workers?: number | undefined;
}

/** How long workers may take to finish what they have in hand. */
const ENDING_MS = 30_000;

/** Runs a fill with workers of its own on this machine, which end with it. */
export async function withWorkers({ spread, workers }: WorkersWanted, root: string, fill: () => Promise<number>): Promise<number> {
  if (workers === undefined) return fill();
  if (!spread)
    throw new YoroshiError("badOption", { option: "--workers", problem: "workers take part in a fill that is spread: add --spread." });
  const children = Array.from({ length: workers }, () =>
    // The signals of a terminal go to all of its processes; these end when they are told to, or when this one is no more.
    spawn(process.execPath, [process.argv[1]!, "work", "--json"], {
      cwd: root,
      stdio: ["ignore", "ignore", "inherit", "ipc"],
      detached: true,
    }),
  );
  try {
    return await fill();
  } finally {
    await Promise.all(children.map(ended));
  }
}

async function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise<void>((resolve) => child.once("exit", () => resolve()));
  child.kill("SIGTERM");
  const timer = setTimeout(() => child.kill("SIGKILL"), ENDING_MS);
  await gone;
  clearTimeout(timer);
}
