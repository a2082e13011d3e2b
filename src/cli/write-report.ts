import { spawn } from "node:child_process";
import path from "node:path";
import { writeTrialReport, type ContestResult, type Project } from "../project/index.js";
import { note } from "./print/print.js";

interface ReportOptions {
  readonly report?: string | undefined;
  readonly open?: boolean | undefined;
  readonly halfWidth?: number | undefined;
}

const DEFAULT_HALF_WIDTH = 5;

/** Writes the HTML report where the command says, by habit `reports/<template>.html`, and opens it when asked to. */
export async function writeReport(project: Project, result: ContestResult, options: ReportOptions): Promise<string> {
  const file =
    options.report === undefined ? path.join(project.root, "reports", `${result.report.template}.html`) : path.resolve(options.report);
  if (options.report === undefined) await (await import("node:fs/promises")).mkdir(path.dirname(file), { recursive: true });
  await writeTrialReport(project, result, file, (options.halfWidth ?? DEFAULT_HALF_WIDTH) / 100);
  if (options.open) openFile(file);
  return path.relative(process.cwd(), file) || file;
}

/** With the system's own way to open a file; where there is none, the path that was told is enough. */
function openFile(file: string): void {
  const [command, args] =
    process.platform === "darwin"
      ? ["open", [file]]
      : process.platform === "win32"
        ? ["cmd", ["/c", "start", "", file]]
        : ["xdg-open", [file]];
  const child = spawn(command as string, args as string[], { stdio: "ignore", detached: true });
  child.on("error", () => note("There is no program to open it with; open the file yourself."));
  child.unref();
}
