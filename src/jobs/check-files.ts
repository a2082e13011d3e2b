import * as z from "zod";
import type { Complaint, Warning } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

const input = z.strictObject({
  /** Templates and plans by their names or paths. Default: all of the project. */
  names: z.array(z.string()).readonly().optional(),
});

export const remark = z.object({
  code: z.string(),
  place: z.object({ file: z.string(), line: z.int(), column: z.int(), path: z.string().optional() }),
  message: z.string(),
});

const report = z.object({
  checked: z.array(
    z.object({ what: z.enum(["template", "plan"]), name: z.string(), complaints: z.array(remark), warnings: z.array(remark) }),
  ),
  /** How many mistakes there are in all, and things to make better. */
  mistakes: count,
  warnings: count,
});

export type CheckReport = z.output<typeof report>;

/** Every mistake in templates and plans, with its place, and what could be better. */
export const checkFiles = defineJob({
  name: "checkFiles",
  summary: "Checks templates and plans, and tells every mistake with its place.",
  input,
  report,
  async run(project, { names = [] }) {
    const checked: CheckReport["checked"] = [];
    for (const { what, name } of await chosenFiles(project, names)) {
      checked.push({
        what,
        name,
        complaints: inOrder(await project.check(what, name)),
        warnings: inOrder(await project.warnings(what, name)),
      });
    }
    const sum = (of: "complaints" | "warnings"): number => checked.reduce((total, one) => total + one[of].length, 0);
    return { checked, mistakes: sum("complaints"), warnings: sum("warnings") };
  },
});

/** As one reads the file. */
export const inOrder = <T extends Complaint | Warning>(told: readonly T[]): T[] =>
  [...told].sort((a, b) => a.place.line - b.place.line || a.place.column - b.place.column);

async function chosenFiles(project: Project, names: readonly string[]): Promise<{ what: "template" | "plan"; name: string }[]> {
  if (names.length > 0) {
    return Promise.all(
      names.map(async (name) => ({ what: (await project.isPlan(name)) ? ("plan" as const) : ("template" as const), name })),
    );
  }
  const templates = (await project.listTemplates()).map(({ name }) => ({ what: "template" as const, name }));
  const plans = (await project.listPlans()).map(({ name }) => ({ what: "plan" as const, name }));
  return [...templates, ...plans];
}
