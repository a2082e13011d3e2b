// The floor for a schedule: requests of one size, so many at once, and nothing else; no table, no ledger, no reading of
// answers. Usage: bare.mjs ENDPOINT REQUESTS AT_ONCE
import { Agent, request } from "undici";

const [endpoint, requests, atOnce] = process.argv.slice(2);
const dispatcher = new Agent({ connections: null });
const body = JSON.stringify({ model: "lean", messages: [{ role: "user", content: "x".repeat(1_200) }] });
let next = 0;
const began = performance.now();
await Promise.all(
  Array.from({ length: Number(atOnce) }, async () => {
    while (next++ < Number(requests)) {
      const reply = await request(`${endpoint}/chat/completions`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body,
        dispatcher,
      });
      await reply.body.text();
    }
  }),
);
console.log(JSON.stringify({ wallMs: performance.now() - began }));
process.exit(0);
