import path from "node:path";
import { plural } from "../../core/ground/index.js";
import { packTemplates, runJob, unpackTemplates, type Arrival } from "../../jobs/index.js";
import { bad, good, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

/** `yoroshi pack`: templates with all that they read, in one file. */
export async function pack(file: string, templates: readonly string[], options: CommonOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(packTemplates, project, { file, templates });
    if (options.json) outJson(report);
    else {
      out(`${good("packed")}  ${plural(report.files.length, "file")} into ${file}`);
      for (const one of report.files) out(`        ${one}`);
      out(quiet(`In the other project: yoroshi unpack ${path.basename(file)}`));
    }
    return 0;
  });
}

interface UnpackOptions extends CommonOptions {
  readonly overwrite?: readonly string[] | undefined;
}

const WORDS: Readonly<Record<Arrival["state"], string>> = {
  written: good("written    "),
  same: quiet("there       "),
  overwritten: warn("overwritten"),
  conflict: bad("conflict   "),
};

/** `yoroshi unpack`: exit 1, and nothing written, where another file stands in the way. */
export async function unpack(file: string, options: UnpackOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(unpackTemplates, project, { file, overwrite: options.overwrite });
    if (options.json) outJson(report);
    else printArrivals(report.files);
    return report.written ? 0 : 1;
  });
}

function printArrivals(files: readonly Arrival[]): void {
  for (const { path: one, state } of files) out(`${WORDS[state]} ${one}`);
  const conflicts = files.filter(({ state }) => state === "conflict");
  if (conflicts.length > 0)
    out(
      `Nothing was written: ${plural(conflicts.length, "other file stands", "other files stand")} in the way. Rename yours, or give it up with --overwrite ${conflicts[0]!.path}.`,
    );
}
