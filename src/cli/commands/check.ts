import { formatPlace, formatComplaint, plural, type Complaint, type Place, type Warning } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { bad, good, out, outJson, quiet, warn } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface Checked {
  readonly what: "template" | "plan";
  readonly name: string;
  readonly complaints: readonly Complaint[];
  readonly warnings: readonly Warning[];
}

/** `yoroshi check`: every mistake in templates and plans, with its place, and what could be better. Exit 2 for mistakes only. */
export async function check(names: readonly string[], options: CommonOptions): Promise<number> {
  return withProject(options, async (project) => {
    const checked: Checked[] = [];
    for (const { what, name } of await chosen(project, names))
      checked.push({
        what,
        name,
        complaints: inOrder(await project.check(what, name)),
        warnings: inOrder(await project.warnings(what, name)),
      });
    const warnings = checked.flatMap((one) => one.warnings);
    const mistakes = checked.flatMap((one) => one.complaints);
    if (options.json) outJson({ checked: checked, mistakes: mistakes.length, warnings: warnings.length });
    else {
      for (const one of checked) {
        out(`${one.complaints.length === 0 ? good("right") : bad("wrong")}  ${one.what} ${one.name}`);
        for (const complaint of one.complaints) out(`         ${formatComplaint(complaint)}`);
        for (const { place, message, code } of one.warnings)
          out(`         ${warn("better:")} ${formatPlace(place)}  ${message} ${quiet(`[${code}]`)}`);
      }
      const told = [
        mistakes.length === 0 ? "no mistakes" : plural(mistakes.length, "mistake"),
        ...(warnings.length > 0 ? [plural(warnings.length, "thing to make better", "things to make better")] : []),
      ];
      out(`${plural(checked.length, "file")} checked, ${told.join(", ")}.`);
    }
    return mistakes.length === 0 ? 0 : 2;
  });
}

const inOrder = <T extends { readonly place: Place }>(told: readonly T[]): T[] =>
  [...told].sort((a, b) => a.place.line - b.place.line || a.place.column - b.place.column);

async function chosen(project: Project, names: readonly string[]): Promise<{ what: "template" | "plan"; name: string }[]> {
  if (names.length > 0)
    return Promise.all(
      names.map(async (name) => ({ what: (await project.isPlan(name)) ? ("plan" as const) : ("template" as const), name })),
    );
  const templates = (await project.listTemplates()).map(({ name }) => ({ what: "template" as const, name }));
  const plans = (await project.listPlans()).map(({ name }) => ({ what: "plan" as const, name }));
  return [...templates, ...plans];
}
