import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { standinServer, type StandinServer } from "../../../src/node.js";
import { serveProject } from "../../../src/server/index.js";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, notesCsv, removeTempFolders, smallProject } from "../../helpers/cli.js";
import { closeDesks, openDesk, rowsInSight, type Desk } from "../../helpers/desk.js";

let browser: Browser;
const hosts: StandinServer[] = [];
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(async () => {
  await closeDesks();
  for (const host of hosts.splice(0)) await host.close();
});
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

async function filling(folder: string, spend?: string): Promise<Desk> {
  const desk = await openDesk(browser, folder);
  await desk.go("table/log");
  await desk.page.waitForSelector(".deck-row .cell");
  await desk.page.getByRole("button", { name: /^Fill F/ }).click();
  if (spend !== undefined) await desk.page.getByLabel("spend at most").fill(spend);
  await desk.page.getByRole("button", { name: /^Ask about/ }).click();
  return desk;
}

const told = async ({ page }: Desk): Promise<string> => (await page.locator(".foot").innerText()).replaceAll("\n", " ");

describe("when something is wrong", () => {
  it("mark-up and script of cells, replies and file names are text, and the page's policy holds", async () => {
    const nasty = "<img src=x onerror=\"document.title='taken'\"><script>document.title='taken'</script>";
    const folder = smallProject(`id,note\nn1,"${nasty.replaceAll('"', '""')} smoke in the galley"\nn2,"=cmd|' /C calc'!A0"\n`);
    writeFileSync(path.join(folder, "<b>odd<b>.csv"), "id,note\n1,oil\n");
    const desk = await filling(folder);
    const { page, faults } = desk;
    await expect.poll(async () => (await page.locator(".key .filled .n").innerText()).trim()).toBe("2");
    expect((await rowsInSight(page))[0]!.join(" ")).toContain(nasty);
    await page.locator("#c-0-1").click();
    await expect.poll(() => page.locator(".open-note").innerText()).toContain("sort version");
    await desk.go("begin");
    await page.getByRole("button", { name: "<b>odd<b>.csv" }).waitFor();
    expect(await page.title()).not.toBe("taken");
    // A script that got into the page all the same would not run.
    await page.evaluate(() => {
      const script = document.createElement("script");
      script.textContent = "document.title = 'taken'";
      document.body.append(script);
      document.body.insertAdjacentHTML("beforeend", "<img src=x onerror=\"document.title='taken'\">");
    });
    await page.waitForTimeout(300);
    expect(await page.title()).not.toBe("taken");
    expect(faults.every((fault) => /Content Security Policy/i.test(fault))).toBe(true);
    expect(faults.length).toBeGreaterThan(0);
  });

  it("a model that fails, a key that is missing and a cap that is reached are told where the fill is, with what to do", async () => {
    const gone = await filling(
      smallProject(notesCsv(4), { endpoint: "http://127.0.0.1:9/v1", model: ", limits: { patienceSeconds: 0, attempts: 1 }" }),
    );
    await expect.poll(() => told(gone)).toMatch(/Failed log.*127\.0\.0\.1:9/);
    const keyless = await filling(
      smallProject(notesCsv(4), { endpoint: "http://127.0.0.1:9/v1", model: ", key: { env: YOROSHI_NO_SUCH_KEY }" }),
    );
    await expect.poll(() => told(keyless)).toContain("YOROSHI_NO_SUCH_KEY");
    const host = await standinServer({ latencyMs: 5 });
    hosts.push(host);
    const capped = await filling(smallProject(notesCsv(40), { endpoint: host.endpoint, atOnce: 1 }), "0.0012");
    await expect.poll(() => told(capped)).toMatch(/It stopped at the cap of 0\.0012 USD/);
    await expect.poll(async () => Number((await capped.page.locator(".key .filled .n").innerText()).trim())).toBeGreaterThan(0);
  });

  it("a fill is paused, gone on with and stopped from any page", async () => {
    const host = await standinServer({ latencyMs: 120 });
    hosts.push(host);
    const desk = await filling(smallProject(notesCsv(400), { endpoint: host.endpoint, atOnce: 2 }));
    const { page } = desk;
    await desk.go("runs");
    await page.getByRole("button", { name: "Pause" }).click();
    await expect.poll(() => told(desk)).toContain("Paused");
    const asked = /(\d+) rows asked/.exec(await told(desk))![1];
    await page.waitForTimeout(600);
    expect(/(\d+) rows asked/.exec(await told(desk))![1]).toBe(asked);
    await page.locator(".run").getByRole("button", { name: "Go on" }).click();
    await expect.poll(() => told(desk)).toContain("Filling");
    await page.getByRole("button", { name: "Stop", exact: true }).click();
    await expect.poll(() => told(desk)).toContain("Stopped");
  });

  it("a server that goes and comes back is told, and mended by itself; what is open stays", async () => {
    const folder = demoProject();
    const desk = await openDesk(browser, folder);
    const { page, served } = desk;
    const port = Number(new URL(served.address).port);
    await desk.go("table/triage?row=R-012&col=report");
    await expect.poll(() => page.locator(".deck-row.here").count()).toBe(1);
    await served.close(200);
    await expect.poll(() => told(desk)).toContain("The server does not answer");
    const again = await serveProject({ folder, port });
    try {
      await expect.poll(() => told(desk)).not.toContain("The server does not answer");
      // The session goes on, so that nobody has to look for a new link; and what changed meanwhile is there.
      await page.getByLabel("Find rows that have these words").fill("R-012");
      await expect.poll(async () => (await rowsInSight(page)).length).toBe(1);
    } finally {
      await again.close(200);
    }
  });

  it("a template broken on the disk, a plan that is none, and a page that is none say so", async () => {
    const folder = demoProject();
    const desk = await openDesk(browser, folder);
    const { page } = desk;
    const file = path.join(folder, "templates", "hazard-triage.yaml");
    writeFileSync(file, readFileSync(file, "utf8").replace("kind: score", "kind: scoore"));
    await desk.go("table/triage");
    await expect.poll(() => page.locator("main .problem").first().innerText()).toMatch(/scoore|hazard-triage\.yaml/);
    await desk.go("");
    await expect.poll(() => page.locator("main").innerText()).toContain("has mistakes");
    await desk.go("table/nothing");
    await expect.poll(() => page.locator("main .problem").first().innerText()).toContain("There is no plan `nothing`");
    await desk.go("no/such/page");
    await page.getByRole("heading", { name: "There is no such page" }).waitFor();
  });

  it("who has no session is told how to get one, and sees nothing of the project", async () => {
    const desk = await openDesk(browser, demoProject());
    const stranger = await browser.newContext();
    const page = await stranger.newPage();
    await page.goto(`${desk.served.address}/desk/table/triage`);
    await page.getByText("This page has no session").waitFor();
    expect(await page.locator(".deck-row").count()).toBe(0);
    await stranger.close();
  });
});
