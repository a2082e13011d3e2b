import { formatPlace, plural } from "../../core/ground/index.js";
import { checkFiles, runJob, type CheckReport } from "../../jobs/index.js";
import { bad, good, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

/** `yoroshi check`: every mistake in templates and plans, with its place, and what could be better. Exit 2 for mistakes only. */
export async function check(names: readonly string[], options: CommonOptions): Promise<number> {
  return withProject(options, async (project) => {
    const report = await runJob(checkFiles, project, { names });
    if (options.json) outJson(report);
    else printChecked(report);
    return report.mistakes === 0 ? 0 : 2;
  });
}

function printChecked({ checked, mistakes, warnings }: CheckReport): void {
  for (const one of checked) {
    out(`${one.complaints.length === 0 ? good("right") : bad("wrong")}  ${one.what} ${one.name}`);
    for (const { place, message } of one.complaints) out(`         ${formatPlace(place)}  ${message}`);
    for (const { place, message, code } of one.warnings)
      out(`         ${warn("better:")} ${formatPlace(place)}  ${message} ${quiet(`[${code}]`)}`);
  }
  const better = warnings > 0 ? [plural(warnings, "thing to make better", "things to make better")] : [];
  out(
    `${plural(checked.length, "file")} checked, ${[mistakes === 0 ? "no mistakes" : plural(mistakes, "mistake"), ...better].join(", ")}.`,
  );
}
