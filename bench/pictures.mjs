// Peak memory of a fill over many large pictures: the command and all processes below it, looked at ten times a second. One JSON line.
// Usage: node bench/pictures.mjs FOLDER COUNT
import { spawn } from "node:child_process";
import { createServer } from "node:http";
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import sharp from "sharp";

const [, , folder, given] = process.argv;
const count = Number(given);
const put = (file, text) => {
  mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
  writeFileSync(path.join(folder, file), text);
};
mkdirSync(path.join(folder, "p"), { recursive: true });
// Eight photographs of some 4 MB; each row has its own file, with an end of its own, so that no two are the same.
const photos = await Promise.all(
  Array.from({ length: 8 }, async (_, i) =>
    sharp({ create: { width: 3600, height: 2700, channels: 3, background: "#000", noise: { type: "gaussian", mean: 120 + i, sigma: 26 } } })
      .jpeg({ quality: 78 })
      .toBuffer(),
  ),
);
for (let i = 0; i < count; i++) writeFileSync(path.join(folder, "p", `${i}.jpg`), Buffer.concat([photos[i % 8], Buffer.from(`\n${i}`)]));
// Seeing is not what is measured: a server that answers at once.
const reply = JSON.stringify({
  id: "x",
  choices: [{ finish_reason: "stop", message: { content: '{"bar":4.2}' } }],
  usage: { prompt_tokens: 900, completion_tokens: 5 },
});
const server = createServer((request, response) => {
  request.resume();
  request.on("end", () => response.writeHead(200, { "content-type": "application/json" }).end(reply));
}).listen(0, "127.0.0.1");
await new Promise((resolve) => server.once("listening", resolve));
put(
  "yoroshi.yaml",
  `yoroshi: project/1\nmodels:\n  quick: { endpoint: "http://127.0.0.1:${server.address().port}/v1", id: m, price: { input: 1, output: 1 } }\n`,
);
put(
  "templates/gauge.yaml",
  'yoroshi: template/1\nname: gauge\ninputs: { photo: { kind: image } }\ntask: "Read {{ photo }}"\nanswer: { bar: { kind: number } }\n',
);
put(
  "plans/gauges.yaml",
  "yoroshi: plan/1\nname: gauges\ntable: { file: g.csv, key: id }\nsteps:\n  read: { template: gauge, fill: { bar: bar } }\n",
);
put("g.csv", `id,photo\n${Array.from({ length: count }, (_, i) => `${i},p/${i}.jpg`).join("\n")}\n`);

/** What a process takes: pages that several share count for each in part, so that nothing is counted twice. */
const rss = (pid) => {
  try {
    return Number(/^Pss:\s+(\d+) kB/m.exec(readFileSync(`/proc/${pid}/smaps_rollup`, "utf8"))?.[1] ?? 0) * 1024;
  } catch {
    return 0;
  }
};
const below = (pid) => {
  try {
    return readdirSync(`/proc/${pid}/task`).flatMap((task) =>
      readFileSync(`/proc/${pid}/task/${task}/children`, "utf8")
        .trim()
        .split(" ")
        .filter(Boolean)
        .flatMap((child) => [Number(child), ...below(Number(child))]),
    );
  } catch {
    return [];
  }
};
const fill = () =>
  new Promise((resolve) => {
    const began = performance.now();
    const child = spawn(process.execPath, [fileURLToPath(new URL("../dist/bin/yoroshi.js", import.meta.url)), "fill", "gauges", "--json"], {
      cwd: folder,
    });
    let out = "";
    let peak = 0;
    let own = 0;
    child.stdout.on("data", (piece) => (out += piece));
    const looking = setInterval(() => {
      const main = rss(child.pid);
      own = Math.max(own, main);
      peak = Math.max(peak, main + below(child.pid).reduce((sum, pid) => sum + rss(pid), 0));
    }, 100);
    child.on("close", () => {
      clearInterval(looking);
      resolve({ ms: performance.now() - began, peak, own, report: JSON.parse(out.trim().split("\n").at(-1)) });
    });
  });
const first = await fill();
const second = await fill();
server.close();
process.stdout.write(
  `${JSON.stringify({ peakMb: first.peak / 1e6, ownMb: first.own / 1e6, seconds: first.ms / 1000, filled: first.report.filled, mbEach: photos[0].length / 1e6, secondSeconds: second.ms / 1000, secondAsked: second.report.asked })}\n`,
);
