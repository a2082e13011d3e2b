// A report on a table of many rows, and a question over them: seconds, megabytes at the most, bytes of the page.
// Usage: node bench/counted.mjs <rows>; prints one JSON line.
import { spawnSync } from "node:child_process";
import { createWriteStream, mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from "node:fs";
import { once } from "node:events";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";

const [rows = 1_000_000] = process.argv.slice(2).map(Number);
const main = fileURLToPath(new URL("../dist/bin/yoroshi.js", import.meta.url));
const root = mkdtempSync(path.join(tmpdir(), "yoroshi-bench-"));
const put = (file, text) => {
  mkdirSync(path.dirname(path.join(root, file)), { recursive: true });
  writeFileSync(path.join(root, file), text);
};
put("yoroshi.yaml", "yoroshi: project/1\nmodels: { quick: { endpoint: standin, id: standin-small, price: { input: 1, output: 1 } } }\n");
put(
  "plans/log.yaml",
  `yoroshi: plan/1\nname: log\ntable: { file: log.csv, key: id }\nsteps: { made: { set: { kind: "{{ row.topic }}", level: { cel: 'int(row.size) / 10 + 1' } } } }\n`,
);
const topics = ["fire", "spill", "mooring", "engine", "galley"];
const out = createWriteStream(path.join(root, "log.csv"));
out.write("id,day,topic,size\n");
for (let at = 0; at < rows; at += 10_000) {
  let text = "";
  for (let index = at; index < Math.min(rows, at + 10_000); index++)
    text += `r${index},2026-${String((index % 12) + 1).padStart(2, "0")}-11,${topics[(index * 7) % 5]},${index % 50}\n`;
  if (!out.write(text)) await once(out, "drain");
}
out.end();
await once(out, "finish");
const timed = (...args) => {
  const began = performance.now();
  const { stdout, stderr } = spawnSync("/usr/bin/time", ["-f", "%M", process.execPath, main, ...args], {
    cwd: root,
    encoding: "utf8",
    maxBuffer: 1e9,
  });
  return {
    seconds: Number(((performance.now() - began) / 1000).toFixed(1)),
    peakMb: Math.round(Number(stderr.trim().split("\n").at(-1)) / 1024),
    stdout,
  };
};
const filled = timed("fill", "log");
const report = timed("report", "log", "--across", "topic");
const kb = Math.round(statSync(path.join(root, "reports/log.html")).size / 1024);
// The first asks the stand-in; the second knows the reading, so that it is what comes after the model's reply.
timed("ask", "log", "How many rows have the topic fire and a level of 3 or more?", "--json");
const asked = timed("ask", "log", "How many rows have the topic fire and a level of 3 or more?", "--json");
const { value, counted } = JSON.parse(asked.stdout.trim().split("\n").at(-1));
console.log(
  JSON.stringify({
    rows,
    fillSeconds: filled.seconds,
    report: { seconds: report.seconds, peakMb: report.peakMb, kb },
    ask: { seconds: asked.seconds, peakMb: asked.peakMb, value, counted },
  }),
);
rmSync(root, { recursive: true, force: true });
