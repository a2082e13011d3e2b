import { YoroshiError } from "../core/ground/index.js";
import { countAsked } from "../jobs/index.js";
import { demand, type App, type Parts } from "./parts.js";

const MOST_BYTES = 1024 * 1024;

/** Chat assistants over HTTP: each request is answered by itself, without a session. */
export function mcpRoute(app: App, { project }: Parts): void {
  app.post("/mcp", async (c) => {
    const who = c.get("who");
    const template = who.is === "token" ? who.bearer.template : undefined;
    demand(who, "answer", template);
    if (Number(c.req.header("content-length") ?? 0) > MOST_BYTES)
      throw new YoroshiError("tooLarge", { what: "The body", bytes: MOST_BYTES });
    // Loaded when somebody comes: most servers never hear of it.
    const [{ mcpServer }, { WebStandardStreamableHTTPServerTransport }] = await Promise.all([
      import("./mcp.js"),
      import("@modelcontextprotocol/sdk/server/webStandardStreamableHttp.js"),
    ]);
    const server = mcpServer(project, { template, ...(who.is === "token" ? { admit: () => countAsked(project(), who.bearer) } : {}) });
    const transport = new WebStandardStreamableHTTPServerTransport({ enableJsonResponse: true });
    await server.connect(transport as never);
    return transport.handleRequest(c.req.raw);
  });
}
