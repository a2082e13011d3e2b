import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import { once } from "node:events";
import { tmpdir } from "node:os";
import path from "node:path";
import type { Browser } from "playwright-core";
import sharp from "sharp";
import { build } from "vite";
import { afterAll, beforeAll, expect, it } from "vitest";
import { fileURLToPath } from "node:url";
import { openBrowser } from "../helpers/chromium.js";

const folder = fileURLToPath(new URL("../../node_modules/.files-page", import.meta.url));
let browser: Browser;
let server: Server;
let address: string;
let photos: string;
beforeAll(async () => {
  browser = await openBrowser();
  photos = mkdtempSync(path.join(tmpdir(), "yoroshi-photos-"));
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  writeFileSync(
    path.join(folder, "index.html"),
    '<!doctype html><title>Files</title><label>Files <input type="file" multiple></label><pre></pre><script type="module" src="./main.js"></script>',
  );
  writeFileSync(
    path.join(folder, "main.js"),
    `import { ask, browserFiles, systemClock, template } from "yoroshi";
const look = template({
  name: "look",
  inputs: { photo: { kind: "image", longestSide: 300 }, note: { kind: "document" } },
  task: "What is shown? {{ photo }} {{ note }}",
  answer: { topic: { kind: "choice", options: ["pump", "rope"], evidence: { in: ["note"] } } },
});
const seen = [];
const model = { id: "m", host: "page", ask: async (request) => (seen.push(request.messages.at(-1).parts), { text: JSON.stringify({ topic: { quote: "the PUMP leaks", value: "pump" } }), finish: "stop" }) };
document.querySelector("input").addEventListener("change", async ({ target }) => {
  const files = browserFiles(Object.fromEntries([...target.files].map((file) => [file.name, file])));
  const options = { model, clock: systemClock(), surroundings: { sources: { files } } };
  const answer = await ask(look, { photo: "photo.jpg", note: "note.txt" }, options);
  const bad = await ask(look, { photo: "note.txt", note: "note.txt" }, options);
  const sent = seen[0].find(({ kind }) => kind === "picture");
  document.querySelector("pre").textContent = JSON.stringify({ answer, bad: bad.reason, sent });
});
`,
  );
  await build({ root: folder, logLevel: "error", configFile: false });
  server = createServer((request, response) => {
    const file = path.join(folder, "dist", request.url === "/" ? "index.html" : request.url!.slice(1));
    if (!existsSync(file)) return void response.writeHead(404).end();
    response.writeHead(200, { "content-type": file.endsWith(".js") ? "text/javascript" : "text/html" }).end(readFileSync(file));
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  address = `http://127.0.0.1:${(server.address() as { port: number }).port}/`;
}, 60_000);
afterAll(async () => {
  await browser?.close();
  server?.close();
  rmSync(folder, { recursive: true, force: true });
  rmSync(photos, { recursive: true, force: true });
});

it("a file that a person chooses in a page is turned upright, scaled down, stripped and shown; words are found in a text", async () => {
  const photo = await sharp({ create: { width: 1200, height: 800, channels: 3, background: "#246" } })
    .jpeg()
    .withMetadata({ orientation: 6, exif: { IFD0: { Artist: "nobody" } } })
    .toBuffer();
  writeFileSync(path.join(photos, "photo.jpg"), photo);
  writeFileSync(path.join(photos, "note.txt"), "All well but the pump leaks.");
  const page = await browser.newPage();
  await page.goto(address);
  await page.locator("input").setInputFiles([path.join(photos, "photo.jpg"), path.join(photos, "note.txt")]);
  await expect.poll(() => page.locator("pre").innerText(), { timeout: 10_000 }).not.toBe("");
  const told = JSON.parse(await page.locator("pre").innerText()) as {
    answer: object;
    bad: object;
    sent: { data: string; width: number; height: number };
  };
  expect(told.answer).toMatchObject({
    state: "answered",
    parts: { topic: "pump" },
    evidence: { topic: { quote: "the pump leaks", place: { input: "note", from: 13 } } },
    seen: [{ input: "photo", type: "image/jpeg", bytes: photo.length }, { input: "note" }],
  });
  expect([told.sent.width, told.sent.height]).toEqual([200, 300]);
  const { width, height, exif, format } = await sharp(Buffer.from(told.sent.data, "base64")).metadata();
  expect([width, height, exif, format]).toEqual([200, 300, undefined, "jpeg"]);
  expect(told.bad).toMatchObject({ code: "inputUnfit", problem: "is no picture (PNG, JPEG, WebP or GIF)" });
});
