import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { CloudEvent, HTTP, type CloudEventV1 } from "cloudevents";
import { Webhook } from "standardwebhooks";

/** 24 bytes, as the rules demand. */
export const SECRET = `whsec_${Buffer.from("a secret of 24 bytes....").toString("base64")}`;

/** A message as it was taken. */
export interface Taken {
  readonly id: string;
  readonly type: string;
  readonly source: string;
  readonly subject: string;
  readonly data: { readonly key: unknown; readonly columns: Readonly<Record<string, unknown>> };
}

/** A receiver of messages as somebody else would write it: it checks signatures and envelopes by other libraries. */
export interface Receiver {
  readonly url: string;
  readonly host: string;
  /** All that came with a right signature, repeated ones included. */
  readonly taken: Taken[];
  /** Requests that were not right. */
  readonly wrong: string[];
  /** How it answers from now on. */
  answer: number | "hang up";
  close(): Promise<void>;
}

export async function receiver(): Promise<Receiver> {
  const taken: Taken[] = [];
  const wrong: string[] = [];
  const state: { answer: Receiver["answer"] } = { answer: 200 };
  const server = createServer((request, response) => {
    const pieces: Buffer[] = [];
    request.on("data", (piece: Buffer) => pieces.push(piece));
    request.on("end", () => {
      const body = Buffer.concat(pieces).toString();
      const headers = request.headers as Record<string, string>;
      try {
        new Webhook(SECRET).verify(body, headers);
        const found = HTTP.toEvent<Taken["data"]>({ headers, body });
        if (Array.isArray(found)) throw new Error("more than one event");
        // Made strictly, it is held against the standard.
        const { id, type, source, subject = "", data } = new CloudEvent<Taken["data"]>(found as CloudEventV1<Taken["data"]>);
        if (id !== headers["webhook-id"] || data === undefined) throw new Error("not the message that was signed");
        if (state.answer === 200) taken.push({ id, type, source, subject, data });
      } catch (error) {
        wrong.push((error as Error).message);
      }
      if (state.answer === "hang up") return void request.socket.destroy();
      response.writeHead(state.answer).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${port}/hook`,
    host: `127.0.0.1:${port}`,
    taken,
    wrong,
    get answer() {
      return state.answer;
    },
    set answer(answer) {
      state.answer = answer;
    },
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}
