import { streamSSE } from "hono/streaming";
import { demand, type App, type Parts } from "./parts.js";

const BEAT_MS = 20_000;

/** Live events, as server-sent events. */
export function liveRoute(app: App, { live }: Parts): void {
  app.get("/events", (c) => {
    demand(c.get("who"), "read");
    const last = c.req.header("last-event-id") ?? c.req.query("last");
    c.header("x-accel-buffering", "no");
    return streamSSE(c, async (stream) => {
      const leave = live.listen(async (events) => {
        for (const { id, type, data } of events) await stream.writeSSE({ id, event: type, data: JSON.stringify(data) });
      }, last);
      // Something now and then, so that a listener that has gone is noticed.
      await stream.write(": listening\n\n");
      const beat = setInterval(() => void stream.write(": here\n\n").catch(() => undefined), BEAT_MS);
      await new Promise<void>((resolve) => stream.onAbort(resolve));
      clearInterval(beat);
      leave();
    });
  });
}
