import { openProject, type Project } from "../jobs/index.js";
import { note } from "./print/print.js";

export interface CommonOptions {
  readonly json?: boolean | undefined;
  readonly project?: string | undefined;
}

/** Opens the project around the current folder, runs a command in it, and closes it whatever happens. */
export async function withProject(options: CommonOptions, run: (project: Project) => Promise<number>): Promise<number> {
  const project = await openProject({ cwd: options.project, onNotice: note });
  try {
    return await run(project);
  } finally {
    await project.close();
  }
}
