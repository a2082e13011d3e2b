import path from "node:path";
import { plural } from "../../core/index.js";
import { packTemplates, unpackTemplates, type Arrival } from "../../project/index.js";
import { bad, good, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

/** `yoroshi pack`: templates with all that they read, in one file. */
export async function pack(file: string, names: readonly string[], options: CommonOptions): Promise<number> {
  return withProject(options, async (project) => {
    const packed = await packTemplates(project, names, path.resolve(file));
    if (options.json) outJson({ bundle: file, files: packed });
    else {
      out(`${good("packed")}  ${plural(packed.length, "file")} into ${file}`);
      for (const one of packed) out(`        ${one}`);
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
    const arrivals = await unpackTemplates(project, path.resolve(file), options.overwrite ?? []);
    const conflicts = arrivals.filter(({ state }) => state === "conflict");
    if (options.json) outJson({ bundle: file, files: arrivals, written: conflicts.length === 0 });
    else {
      for (const { path: one, state } of arrivals) out(`${WORDS[state]} ${one}`);
      if (conflicts.length > 0)
        out(
          `Nothing was written: ${plural(conflicts.length, "other file stands", "other files stand")} in the way. Rename yours, or give it up with --overwrite ${conflicts[0]!.path}.`,
        );
    }
    return conflicts.length === 0 ? 0 : 1;
  });
}
