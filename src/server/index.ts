export { serveProject, type Served, type ServeOptions } from "./serve.js";

/** Speaks with one chat assistant over standard input and output; loaded when somebody asks for it. */
export async function serveMcp(folder: string | undefined, onNotice: (text: string) => void, signal: AbortSignal): Promise<void> {
  return (await import("./mcp-stdio.js")).speakMcp(folder, onNotice, signal);
}
export { liveShapes } from "./live.js";
export type { UnderWay } from "./under-way.js";
