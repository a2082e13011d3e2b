import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { Browser, Page } from "playwright-core";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { openBrowser } from "../../helpers/chromium.js";
import { demoProject, removeTempFolders } from "../../helpers/cli.js";
import { closeDesks, openDesk, type Desk } from "../../helpers/desk.js";

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterEach(closeDesks);
afterAll(async () => {
  await browser?.close();
  removeTempFolders();
});

async function template(folder = demoProject()): Promise<Desk & { readonly file: string; readonly text: () => string }> {
  const desk = await openDesk(browser, folder);
  await desk.go("template/hazard-triage?plan=triage&row=R-071");
  await desk.page.waitForSelector(".editor.task .cm-content");
  await desk.page.waitForSelector(".sent .put");
  const file = path.join(folder, "templates", "hazard-triage.yaml");
  return { ...desk, file, text: () => readFileSync(file, "utf8") };
}

const save = (page: Page): Promise<void> => page.getByRole("button", { name: /^Save Ctrl S/ }).click();
const sent = (page: Page): Promise<string> => page.locator(".sent").innerText();
/** The whole text of the YAML editor, which draws only the lines in sight. */
const yamlOf = (page: Page): Promise<string> =>
  page.locator(".editor.yaml .cm-content").evaluate((content) => {
    const view = content as unknown as { cmTile?: { view?: { state: { doc: object } } }; cmView?: { view?: { state: { doc: object } } } };
    return String((view.cmTile?.view ?? view.cmView?.view)?.state.doc ?? content.textContent);
  });

describe("the template's page", () => {
  it("has the prompt follow each word, and keeps every other character of the file when it is saved", async () => {
    const { page, text, said, faults } = await template();
    const before = text();
    expect(await page.locator(".sent .put").last().innerText()).toContain("unguarded coupling");
    expect(await page.locator(".editor.task .put-in").innerText()).toBe("{{ report }}");
    await page.locator(".editor.task .cm-content").click();
    await page.keyboard.press("Control+Home");
    await page.keyboard.type("Think of people first. ");
    await expect.poll(() => sent(page)).toContain("Think of people first. Decide which hazard");
    // Not yet in the file.
    expect(text()).toBe(before);
    await page.keyboard.press("Control+s");
    await expect.poll(said).toBe("templates/hazard-triage.yaml is saved.");
    expect(text()).toBe(before.replace("  Decide which hazard", "  Think of people first. Decide which hazard"));
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: /^Undo/ }).click();
    await expect.poll(text).toBe(before);
    expect(faults).toEqual([]);
  });

  it("is one and the same as forms and as YAML, with mistakes at their places in both", async () => {
    const { page, faults } = await template();
    await page.getByRole("button", { name: "Beside its YAML" }).click();
    await page.waitForSelector(".editor.yaml .cm-content");
    // From the form to the YAML.
    await page.locator(".specs summary b", { hasText: /^severity$/ }).click();
    const severity = page.locator(".specs details[open]");
    await severity.getByLabel("what it is").fill("How bad it might have been");
    await expect.poll(() => yamlOf(page)).toContain("about: How bad it might have been");
    await severity.getByLabel("what 5 means").fill("someone could have died");
    await expect.poll(() => yamlOf(page)).toContain("5: someone could have died");
    // A part that is new, of a kind with its own facets.
    await page.getByLabel("Name of a new part").fill("urgent");
    await page.keyboard.press("Enter");
    await page.locator(".specs summary", { hasText: "urgent" }).click();
    await page.locator(".specs details[open]", { hasText: "urgent" }).last().locator("select").first().selectOption("yesNo");
    await expect.poll(() => yamlOf(page)).toMatch(/urgent:\s*\{? ?\n?\s*kind: yesNo/);
    // From the YAML to the form; a mistake is told at its part, and the last prompt stays.
    await page.locator(".editor.yaml .cm-content").click();
    await page.keyboard.press("Control+Home");
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("End");
    await page.keyboard.type(" again");
    await expect.poll(() => page.locator(".head > p").innerText()).toBe("Triage a deck report again");
    await page.keyboard.press("Enter");
    await page.keyboard.type("nonsense: 1");
    await expect.poll(() => page.locator(".remarks").first().innerText()).toContain("There is no key `nonsense` here");
    await expect.poll(() => page.locator(".cm-lint-marker").count()).toBeGreaterThan(0);
    await page.getByRole("button", { name: "Save with its mistakes" }).waitFor();
    expect(faults).toEqual([]);
  });

  it("asks for evidence and for legwork in forms, and takes both away again", async () => {
    const { page, text, faults } = await template();
    const before = text();
    await page.locator(".specs summary b", { hasText: /^hazard$/ }).click();
    const shown = page.getByRole("group", { name: "hazard is shown by words of" });
    await shown.getByLabel("report").check();
    await page.getByRole("button", { name: "Look something up for each row" }).click();
    await page.getByLabel("searches, one on each line").fill("ferry {{ report }}\n\nport office");
    await page.getByLabel("only these hosts").fill("ports.example");
    await page.getByLabel("pages read").fill("2");
    // What is found is a place for evidence, too.
    await shown.getByLabel("found").check();
    // The template's own examples lack the words now, and it is said.
    await expect.poll(() => page.locator(".remarks").first().innerText()).toContain("it needs the words that carry it");
    await page.getByRole("button", { name: "Save with its mistakes" }).click();
    await expect.poll(text).toMatch(/in: ?\[ ?report, found ?\]|in:\s+- report\s+- found/);
    const written = text();
    expect(written).toMatch(/legwork:\n\s+search:[\s\S]*ferry \{\{ report \}\}[\s\S]*port office/);
    expect(written).toMatch(/only:[\s\S]*ports\.example/);
    expect(written).toContain("readPages: 2");
    await shown.getByLabel("report").uncheck();
    await shown.getByLabel("found").uncheck();
    await page.getByRole("button", { name: "Look nothing up" }).click();
    await page.keyboard.press("Control+s");
    await expect.poll(text).toBe(before);
    expect(faults).toEqual([]);
  });

  it("tries a row, a sample and typed words, one beside the other with what changed between", async () => {
    const { page, faults, text } = await template();
    const ask = page.locator(".sent-side .main-act");
    await ask.click();
    await page.locator(".tries > li").first().waitFor();
    expect(await page.locator(".tries > li").first().innerText()).toMatch(/R-071[\s\S]*hazard[\s\S]*machinery/);
    await page.locator(".editor.task .cm-content").click();
    await page.keyboard.press("Control+Home");
    await page.keyboard.type("S");
    await expect.poll(() => ask.innerText()).toBe("Save, and ask");
    // Also where the server takes its time to check what is typed, the whole of it is saved, asked and kept.
    await page.route("**/source/check", async (route) => {
      await page.waitForTimeout(300);
      await route.continue();
    });
    await page.keyboard.type("hort and plain. ");
    await ask.click();
    await expect.poll(() => page.locator(".tries > li").count()).toBe(2);
    expect(text()).toContain("Short and plain.");
    expect(await page.locator(".tries .diff").first().innerText()).toContain("+   Short and plain. Decide which hazard");
    await page.unroute("**/source/check");
    await page.getByLabel("What is put in").selectOption("sample");
    await expect.poll(() => page.locator(".sent-side h2").innerText()).toContain("sample 1");
    await page.getByRole("button", { name: "The next row" }).click();
    await expect.poll(() => sent(page)).toContain("Emergency exit sign");
    await page.getByLabel("What is put in").selectOption("typed");
    await page.locator(".typed textarea").fill("Smoke from the dryer, put out at once. <script>alert(1)</script>");
    await expect.poll(() => page.locator(".sent .put").last().innerText()).toContain("<script>alert(1)</script>");
    await ask.click();
    await expect.poll(() => page.locator(".tries > li").count()).toBe(3);
    expect(await page.locator(".tries > li").first().innerText()).toContain("fire");
    expect(faults).toEqual([]);
  });

  it("shows what somebody else writes on the disk, and never writes over it unsaid", async () => {
    const { page, file, text } = await template();
    writeFileSync(file, text().replace("Triage a deck report", "Triage, by the night watch"));
    await expect.poll(() => page.locator(".head > p").innerText()).toBe("Triage, by the night watch");
    await page.locator(".editor.task .cm-content").click();
    await page.keyboard.press("Control+Home");
    await page.keyboard.type("Mine. ");
    await expect.poll(() => sent(page)).toContain("Mine. Decide");
    writeFileSync(file, text().replace("by the night watch", "by the day watch"));
    await page.getByText("was changed elsewhere while you worked on it").waitFor();
    await save(page);
    await page.waitForTimeout(500);
    expect(text()).toContain("by the day watch");
    expect(text()).not.toContain("Mine.");
    await page.getByRole("button", { name: /^Keep mine/ }).click();
    await save(page);
    await expect.poll(text).toContain("Mine. Decide");
    // Broken on the disk: told where, and what to do; the page goes on.
    writeFileSync(file, `${text()}\nansw: {`);
    await expect.poll(() => page.locator(".written").innerText()).toMatch(/line \d+/);
    writeFileSync(file, text().replace("\nansw: {", ""));
    await expect.poll(() => page.locator(".remarks").count()).toBe(0);
  });

  it("approves a version, brings an earlier one back, and undoes that; and makes new ones", async () => {
    const { page, said, text, served } = await template();
    const before = text();
    await page.locator(".sent-side .main-act").click();
    await page.locator(".tries > li").first().waitFor();
    await page.locator(".editor.task .cm-content").click();
    await page.keyboard.press("Control+Home");
    await page.keyboard.type("Otherwise. ");
    await expect.poll(() => page.locator(".sent-side .main-act").innerText()).toBe("Save, and ask");
    await page.locator(".sent-side .main-act").click();
    await expect.poll(() => page.locator(".tries > li").count()).toBe(2);
    await page.getByRole("button", { name: "Versions", exact: true }).click();
    await expect.poll(() => page.locator(".versions > li").count()).toBe(2);
    await page.getByRole("button", { name: "What changed" }).click();
    await expect.poll(() => page.locator(".versions .diff").innerText()).toContain("+   Otherwise. Decide");
    await page.getByRole("button", { name: "Approve" }).last().click();
    await expect.poll(() => page.locator(".versions > li").last().innerText()).toContain("approved by Ines");
    await page.getByRole("button", { name: "Bring it back" }).click();
    await expect.poll(text).toBe(before);
    await page.keyboard.press("Control+z");
    await page
      .getByRole("button", { name: /^Undo/ })
      .click()
      .catch(() => undefined);
    await expect.poll(text).toContain("Otherwise. Decide");
    await page.getByRole("button", { name: "New template", exact: true }).click();
    await page.getByLabel("drafted from a description").check();
    await page.getByLabel("for the rows of").selectOption("deck-log.csv");
    await page
      .getByLabel("What is to be found out about each row?")
      .fill("Which part of the ship is this about: deck, engine room or cabin");
    await page.getByLabel("its name").fill("ship-part");
    await page.getByRole("button", { name: "Have it drafted" }).click();
    await page.getByRole("button", { name: "Write it" }).click();
    await page.waitForURL(`${served.address}/desk/template/ship-part`);
    expect(await said()).not.toContain("cannot");
    expect(readFileSync(path.join(served.project.root, "templates", "ship-part.yaml"), "utf8")).toContain("name: ship-part");
  });
});
