// The desk in a real browser. Usage: node bench/desk.mjs DEMO BIG ENDPOINT; prints one JSON line.
// DEMO is a demo project, BIG one with 100,000 filled rows, ENDPOINT a host at which about 50 answers a second come.
import { spawn } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { chromium } from "playwright-core";

const [demo, big, endpoint] = process.argv.slice(2);
const place = process.env.YOROSHI_CHROMIUM ?? ["/usr/bin/chromium", "/usr/bin/google-chrome"].find((one) => existsSync(one));
const browser = await chromium.launch({ executablePath: place, args: ["--no-sandbox", "--disable-gpu", "--disable-quic"] });
const median = (all) => all.toSorted((a, b) => a - b)[Math.floor(all.length / 2)];

/** Opens the desk of a folder, from the command on; `ready` is when the page is. */
async function open(folder, page, ready) {
  const began = performance.now();
  const child = spawn(process.execPath, ["dist/bin/yoroshi.js", "open", "--no-browser", "--port", "0", "--project", folder]);
  const link = await new Promise((resolve) => child.stdout.on("data", (piece) => resolve(/http\S+/.exec(String(piece))?.[0])));
  const upMs = performance.now() - began;
  await page.goto(link);
  await page.waitForSelector(ready);
  const ended = () => new Promise((resolve) => child.once("exit", resolve));
  return { base: new URL(link).origin, upMs, tookMs: performance.now() - began, close: () => (child.kill("SIGINT"), ended()) };
}

const newPage = async () => {
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await page.goto("about:blank");
  return page;
};

/** Scrolls for some seconds, and gives the time between frames. */
const scroll = (page, ms) =>
  page.evaluate(async (lasts) => {
    const grid = document.getElementById("table-grid");
    grid.scrollTop = 0;
    const gaps = [];
    const began = performance.now();
    let last = began;
    await new Promise((done) => {
      const step = (now) => {
        gaps.push(now - last);
        last = now;
        grid.scrollTop += 180;
        if (now - began > lasts) done();
        else requestAnimationFrame(step);
      };
      requestAnimationFrame(step);
    });
    gaps.shift();
    gaps.sort((a, b) => a - b);
    return { frames: gaps.length, worst: gaps.at(-1), mean: gaps.reduce((sum, one) => sum + one, 0) / gaps.length };
  }, ms);

// The first page of the demo.
const firsts = [];
for (let n = 0; n < 5; n++) {
  const page = await newPage();
  const desk = await open(demo, page, ".plans li");
  firsts.push(desk);
  await page.context().close();
  await desk.close();
}

// Typing in the template's page: from a key to the prompt that has it.
const page = await newPage();
const small = await open(demo, page, ".plans li");
await page.goto(`${small.base}/desk/template/hazard-triage?plan=triage`);
await page.waitForSelector(".sent .put");
await page.click(".editor.task .cm-content");
await page.keyboard.press("Control+Home");
const typed = [];
for (const letter of "abcdefghij") {
  const began = performance.now();
  await page.keyboard.type(letter);
  await page.waitForFunction(
    (wanted) => document.querySelector(".sent").textContent.includes(wanted),
    "abcdefghij".slice(0, "abcdefghij".indexOf(letter) + 1),
  );
  typed.push(performance.now() - began);
  await page.waitForTimeout(200);
}
await page.context().close();
await small.close();

// 100,000 rows.
const wide = await newPage();
const large = await open(big, wide, ".plans li");
const began = performance.now();
await wide.goto(`${large.base}/desk/table/log`);
await wide.waitForSelector(".deck-row .cell:nth-child(3)");
const firstRowsMs = performance.now() - began;
await wide.waitForFunction(() => !document.querySelector(".filters progress"), undefined, { timeout: 120_000 });
const wholeMs = performance.now() - began;
await wide.waitForTimeout(2_000);
const still = [];
for (let n = 0; n < 3; n++) still.push(await scroll(wide, 5_000));

// The same while answers arrive: the template has changed, so that all rows are asked again.
const project = path.join(big, "yoroshi.yaml");
writeFileSync(project, readFileSync(project, "utf8").replace(/endpoint: "[^"]*"/, `endpoint: "${endpoint}"`));
const template = path.join(big, "templates/sort.yaml");
writeFileSync(template, readFileSync(template, "utf8").replace("how bad is it", "how grave is it"));
await wide.waitForTimeout(1_500);
await wide.goto(`${large.base}/desk/table/log`);
await wide.waitForFunction(
  () => document.querySelector(".deck-row .cell:nth-child(3)") && !document.querySelector(".filters progress"),
  undefined,
  {
    timeout: 120_000,
  },
);
await wide.click("button:has-text('Fill')");
await wide
  .getByLabel(/at most/)
  .first()
  .fill("3000");
await wide.waitForSelector(".fill-bar .cost b", { timeout: 120_000 });
await wide.click(".fill-bar .main-act");
await wide.waitForFunction(() => /[1-9]\d* rows asked/.test(document.querySelector(".foot").textContent), undefined, { timeout: 120_000 });
const asked = async () => Number(/([\d,]+) rows? asked/.exec(await wide.textContent(".foot"))[1].replace(",", ""));
const before = { asked: await asked(), at: performance.now() };
const arriving = [];
for (let n = 0; n < 3; n++) arriving.push(await scroll(wide, 5_000));
const perSecond = ((await asked()) - before.asked) / ((performance.now() - before.at) / 1000);
await browser.close();
await large.close();
console.log(
  JSON.stringify({
    firstPageMs: median(firsts.map(({ tookMs }) => tookMs)),
    upMs: median(firsts.map(({ upMs }) => upMs)),
    typedMs: median(typed),
    slowestTypedMs: Math.max(...typed),
    firstRowsMs,
    wholeMs,
    worstFrameMs: median(still.map(({ worst }) => worst)),
    arrivingWorstFrameMs: median(arriving.map(({ worst }) => worst)),
    meanFrameMs: median(still.map(({ mean }) => mean)),
    arrivingMeanFrameMs: median(arriving.map(({ mean }) => mean)),
    answersASecond: perSecond,
  }),
);
