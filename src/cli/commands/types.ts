import { plural } from "../../core/ground/index.js";
import { runJob, writeTypes, type TypesEvent, type TypesReport } from "../../jobs/index.js";
import { good, note, out, outJson, quiet, warn } from "../print/print.js";
import { untilInterrupted } from "../signals.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface TypesOptions extends CommonOptions {
  readonly out?: string | undefined;
  readonly watch?: boolean | undefined;
}

/** `yoroshi types`: the TypeScript types of the project's templates in one file, kept up to date with --watch. */
export async function types(options: TypesOptions): Promise<number> {
  return withProject(options, async (project) => {
    let isTold = false;
    const on = (event: TypesEvent): void => {
      if (event.type === "problem") return note(event.message);
      if (options.json) outJson(event.report);
      else printTypes(event.report);
      if (options.watch && !isTold) note(quiet("Watching templates and references; Ctrl-C ends it."));
      isTold = true;
    };
    await runJob(writeTypes, project, { file: options.out, watch: options.watch }, { signal: untilInterrupted(), on });
    return 0;
  });
}

function printTypes({ file, templates, broken, changed }: TypesReport): void {
  out(`${changed ? good("written") : quiet("unchanged")}  ${file}, ${plural(templates.length, "template")}`);
  for (const name of broken) out(`${warn("left out")}  ${name} has mistakes: \`yoroshi check ${name}\``);
}
