// The reference: what an engineer would write in an hour from general-purpose parts, without ledger, retries of bad
// answers, budget or checks. Usage: hand-written.mjs ENDPOINT IN OUT AT_ONCE
import { createReadStream, createWriteStream } from "node:fs";
import { parse } from "csv-parse";
import { stringify } from "csv-stringify";
import OpenAI from "openai";
import pLimit from "p-limit";

const [endpoint, input, output, atOnce] = process.argv.slice(2);
const client = new OpenAI({ baseURL: endpoint, apiKey: "none" });
const limit = pLimit(Number(atOnce));
const began = process.hrtime.bigint();
const rows = [];
for await (const row of createReadStream(input).pipe(parse({ columns: true }))) rows.push(row);
await Promise.all(
  rows.map((row) =>
    limit(async () => {
      const reply = await client.chat.completions.create({
        model: "lean",
        messages: [
          { role: "system", content: "You sort notes." },
          {
            role: "user",
            content: `What is this note about, and how bad is it?\n${row.note}\n\nAnswer with JSON: why (text), topic (fire, spill, engine or other), level (1 to 5).`,
          },
        ],
        response_format: { type: "json_object" },
      });
      Object.assign(row, JSON.parse(reply.choices[0].message.content));
    }),
  ),
);
const out = stringify({ header: true });
const done = new Promise((resolve) => out.pipe(createWriteStream(output)).on("finish", resolve));
for (const row of rows) out.write(row);
out.end();
await done;
const { user, system } = process.cpuUsage();
console.log(JSON.stringify({ rows: rows.length, wallMs: Number(process.hrtime.bigint() - began) / 1e6, cpuMs: (user + system) / 1000 }));
