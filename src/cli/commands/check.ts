import { formatComplaint, plural, type Complaint } from "../../core/index.js";
import type { Project } from "../../project/index.js";
import { bad, good, out, outJson } from "../print/print.js";
import { withProject, type CommonOptions } from "../with-project.js";

interface Checked {
  readonly what: "template" | "plan";
  readonly name: string;
  readonly complaints: readonly Complaint[];
}

/** `yoroshi check`: every mistake in templates and plans, with its place. Exit 2 when there is one. */
export async function check(names: readonly string[], options: CommonOptions): Promise<number> {
  return withProject(options, async (project) => {
    const checked: Checked[] = [];
    for (const { what, name } of await chosen(project, names)) checked.push({ what, name, complaints: inOrder(await project.check(what, name)) });
    const mistakes = checked.flatMap((one) => one.complaints);
    if (options.json) outJson({ checked: checked.map(({ what, name, complaints }) => ({ what, name, complaints })), mistakes: mistakes.length });
    else {
      for (const { what, name, complaints } of checked) {
        out(complaints.length === 0 ? `${good("right")}  ${what} ${name}` : `${bad("wrong")}  ${what} ${name}`);
        for (const complaint of complaints) out(`         ${formatComplaint(complaint)}`);
      }
      out(mistakes.length === 0 ? `${plural(checked.length, "file")} checked, no mistakes.` : `${plural(checked.length, "file")} checked, ${plural(mistakes.length, "mistake")}.`);
    }
    return mistakes.length === 0 ? 0 : 2;
  });
}

const inOrder = (complaints: readonly Complaint[]): Complaint[] => [...complaints].sort((a, b) => a.place.line - b.place.line || a.place.column - b.place.column);

async function chosen(project: Project, names: readonly string[]): Promise<{ what: "template" | "plan"; name: string }[]> {
  if (names.length > 0) return Promise.all(names.map(async (name) => ({ what: (await project.isPlan(name)) ? ("plan" as const) : ("template" as const), name })));
  const templates = (await project.listTemplates()).map(({ name }) => ({ what: "template" as const, name }));
  const plans = (await project.listPlans()).map(({ name }) => ({ what: "plan" as const, name }));
  return [...templates, ...plans];
}
