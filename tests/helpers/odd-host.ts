import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";

export interface OddHost {
  readonly endpoint: string;
  readonly requests: number;
  /** The bodies of the requests, as they came. */
  readonly bodies: string[];
  close(): Promise<void>;
}

/** A host of the chat-completions protocol that answers as it likes. */
export async function oddHost(
  answer: (body: string, number: number, request: IncomingMessage, response: ServerResponse) => unknown,
): Promise<OddHost> {
  const bodies: string[] = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", (chunk: Buffer) => (body += chunk.toString()));
    request.on("end", () => {
      bodies.push(body);
      const given = answer(body, bodies.length, request, response);
      if (given === undefined) return;
      response.setHeader("content-type", "application/json");
      response.end(typeof given === "string" || Buffer.isBuffer(given) ? given : JSON.stringify(given));
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    endpoint: `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1`,
    get requests() {
      return bodies.length;
    },
    bodies,
    close: () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  };
}

/** Odd hosts that are closed together. */
export function oddHosts(): { host: typeof oddHost; closeAll(): Promise<void> } {
  const open: OddHost[] = [];
  return {
    async host(answer) {
      const made = await oddHost(answer);
      open.push(made);
      return made;
    },
    async closeAll() {
      for (const one of open.splice(0)) await one.close();
    },
  };
}

/** A completion with an answer that the small project's template takes. */
export const completion = (more: object = {}, content: unknown = JSON.stringify({ why: "smoke", topic: "fire", level: 2 })): object => ({
  id: "c",
  choices: [{ finish_reason: "stop", message: { role: "assistant", content } }],
  usage: { prompt_tokens: 200, completion_tokens: 20 },
  ...more,
});
