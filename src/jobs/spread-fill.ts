import { marksOf, spreadOut, YoroshiError, type FillOptions, type FillSetup, type SpreadProgress } from "../core/index.js";
import type { Project } from "../project/index.js";

/** What a fill that others do is told, and may not be asked for. */
export interface SpreadWish {
  readonly rowsPerChunk?: number | undefined;
  readonly stop?: FillOptions["stop"];
  readonly onProgress: (progress: SpreadProgress) => void;
  readonly onHost: (host: string, why: string | undefined) => void;
}

/**
 * Has workers ask about a fill's rows.
 *
 * @throws YoroshiError `badOption` where the ledger is in a file, or a limit is asked for that only one process can keep.
 */
export function spreadFill(
  project: Project,
  setup: FillSetup,
  options: FillOptions,
  { rowsPerChunk, stop, onProgress, onHost }: SpreadWish,
): NonNullable<FillOptions["spread"]> {
  if (!project.settings.ledger)
    throw new YoroshiError("badOption", {
      option: "--spread",
      problem:
        "the ledger is in a file, which one machine has. Move it into a PostgreSQL database first: `yoroshi ledger move --to DATABASE`.",
    });
  if (options.rows !== undefined || setup.plan.limits.rows !== undefined)
    throw new YoroshiError("badOption", {
      option: "--spread",
      problem: "a limit of rows is kept by one process. Choose the rows by --where, --only or --sample instead, or limit what is spent.",
    });
  const { refill, columns, overwrite, spendCap } = options;
  return async (work, run) => {
    const queue = project.queue();
    try {
      return await spreadOut(work, run, {
        queue,
        marks: marksOf(work),
        options: { refill, columns, overwrite, spendCap },
        rows: rowsPerChunk,
        stop,
        onProgress,
        onHost,
      });
    } finally {
      await queue.close();
    }
  };
}
