import { existsSync } from "node:fs";
import { copyFile, cp } from "node:fs/promises";
import path from "node:path";
import * as z from "zod";
import { YoroshiError } from "../core/index.js";
import { PROJECT_FILE } from "../project/index.js";
import { defineFreeJob, defineJob } from "./job.js";
import { packageFolder } from "../files/index.js";

/** The project of a made-up ferry operator in a folder of its own. */
export const setUpDemo = defineFreeJob({
  name: "setUpDemo",
  summary: "Sets up the demo project in a folder, or goes on with the one that is there.",
  input: z.strictObject({ folder: z.string() }),
  report: z.object({ root: z.string(), isNew: z.boolean() }),
  async run({ folder }) {
    const root = path.resolve(folder);
    const isNew = !existsSync(path.join(root, PROJECT_FILE));
    if (isNew && existsSync(root))
      throw new YoroshiError("badOption", { option: folder, problem: "this folder exists and is not a project. Name another." });
    if (isNew) await cp(packageFolder("demo"), root, { recursive: true });
    return { root, isNew };
  },
});

/** The demo's template as its first draft, or as it was improved. */
export const setDemoDraft = defineJob({
  name: "setDemoDraft",
  summary: "Puts the demo's first draft of a template in its place, or the improved one.",
  input: z.strictObject({ template: z.string(), draft: z.enum(["first", "improved"]) }),
  report: z.object({ file: z.string() }),
  async run(project, { template, draft }) {
    const file = path.join("templates", `${template}.yaml`);
    const source = draft === "first" ? path.join("drafts", `${template}.first.yaml`) : file;
    await copyFile(path.join(packageFolder("demo"), source), path.join(project.root, file));
    return { file };
  },
});
