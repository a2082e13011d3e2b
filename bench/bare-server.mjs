// The framework alone: reads a request's JSON and sends the same JSON each time. Prints its address.
import { serve } from "@hono/node-server";
import { Hono } from "hono";

const reply = JSON.parse(Buffer.from(process.argv[2], "base64").toString());
const app = new Hono();
app.post("/", async (c) => {
  await c.req.json();
  return c.json(reply);
});
serve({ fetch: app.fetch, port: 0, hostname: "127.0.0.1" }, ({ port }) => console.log(`http://127.0.0.1:${port}/`));
