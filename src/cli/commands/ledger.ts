import path from "node:path";
import { plural, YoroshiError } from "../../core/index.js";
import { exportLedger } from "../../project/index.js";
import { good, out, outJson } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface ExportOptions extends CommonOptions {
  readonly cells?: boolean | undefined;
}

/** `yoroshi ledger export`: all answers, or all cells, as JSON Lines or CSV. */
export async function exportAll(file: string, options: ExportOptions): Promise<number> {
  return withProject(options, async (project) => {
    const what = options.cells ? "cells" : "answers";
    const count = await exportLedger(project, what, path.resolve(file));
    if (options.json) outJson({ file, what, count });
    else out(`${good("written")}  ${file}: ${options.cells ? plural(count, "row's cells", "rows' cells") : plural(count, "answer")}`);
    return 0;
  });
}

interface PruneOptions extends CommonOptions {
  readonly olderThan?: number | undefined;
  readonly of?: string | undefined;
}

const DAY_MS = 86_400_000;

/** `yoroshi ledger prune`: forgets old answers that no cell rests on. */
export async function prune(options: PruneOptions): Promise<number> {
  return withProject(options, async (project) => {
    if (options.olderThan === undefined)
      throw new YoroshiError("badOption", { option: "--older-than", problem: "say how many days old an answer must be to be forgotten." });
    const forgotten = await project
      .ledger()
      .answers.prune({ before: project.clock.now() - options.olderThan * DAY_MS, subject: options.of });
    if (options.json) outJson({ forgotten });
    else out(`${good("forgotten")}  ${plural(forgotten, "answer")}. Every cell's own answer is kept.`);
    return 0;
  });
}
