import { spawn } from "node:child_process";
import { note } from "./print/print.js";

/** With the system's own way to open a file; where there is none, the path that was told is enough. */
export function openFile(file: string): void {
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
