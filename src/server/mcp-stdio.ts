import { StdioServerTransport } from "@modelcontextprotocol/sdk/server/stdio.js";
import { openProject } from "../jobs/index.js";
import { mcpServer } from "./mcp.js";

/** Speaks with one chat assistant over standard input and output, until it goes or the signal is aborted. */
export async function speakMcp(folder: string | undefined, onNotice: (text: string) => void, signal: AbortSignal): Promise<void> {
  const project = await openProject({ cwd: folder, confined: true, onNotice });
  try {
    const server = mcpServer(() => project, {});
    const gone = new Promise<void>((resolve) => {
      process.stdin.once("end", resolve);
      signal.addEventListener("abort", () => resolve(), { once: true });
    });
    await server.connect(new StdioServerTransport());
    await gone;
    await server.close();
  } finally {
    await project.close();
  }
}
