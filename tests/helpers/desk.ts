import { existsSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { fileURLToPath } from "node:url";
import type { Browser, BrowserContext, Page } from "playwright-core";
import { expect } from "vitest";
import { serveProject, type Served, type ServeOptions } from "../../src/server/index.js";

const BUILT = fileURLToPath(new URL("../../dist/desk/index.html", import.meta.url));
const AXE = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
const RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"];

export interface DeskOptions extends ServeOptions {
  readonly person?: string;
  readonly width?: number;
  readonly height?: number;
  readonly isDark?: boolean;
}

/** The desk of a project in a real browser, with a person's session. */
export interface Desk {
  readonly served: Served;
  readonly context: BrowserContext;
  readonly page: Page;
  /** What went wrong in the page: errors, and whatever its policy blocked. */
  readonly faults: string[];
  /** Goes to a page of the desk, `table/triage`. */
  go(path: string): Promise<void>;
  /** What the foot says of the last act. */
  said(): Promise<string>;
  /** Another window with the same session. */
  window(path: string): Promise<Page>;
}

const open: { close(): Promise<unknown> }[] = [];

/** Ends every desk of a test. */
export async function closeDesks(): Promise<void> {
  for (const one of open.splice(0)) await one.close();
}

/** Serves a folder and opens its desk by the link that a person is given. */
export async function openDesk(
  browser: Browser,
  folder: string,
  { person = "Ines", width = 1280, height = 800, isDark = false, ...options }: DeskOptions = {},
): Promise<Desk> {
  if (!existsSync(BUILT)) throw new Error("The desk is not built: npm run build.");
  const served = await serveProject({ folder, port: 0, ...options });
  const context = await browser.newContext({
    viewport: { width, height },
    colorScheme: isDark ? "dark" : "light",
    acceptDownloads: true,
  });
  open.push({ close: () => context.close() }, { close: () => served.close(500) });
  const page = await context.newPage();
  const faults: string[] = [];
  watch(page, faults);
  await page.goto(served.link(person));
  await page.waitForURL(`${served.address}/desk/`);
  await page.waitForSelector("h1");
  const go = async (path: string): Promise<void> => {
    await page.goto(`${served.address}/desk/${path}`);
    await page.waitForSelector("h1");
  };
  return {
    served,
    context,
    page,
    faults,
    go,
    said: () => page.locator("footer [role=status]").last().innerText(),
    window: async (path) => {
      const other = await context.newPage();
      watch(other, faults);
      await other.goto(`${served.address}/desk/${path}`);
      await other.waitForSelector("h1");
      return other;
    },
  };
}

function watch(page: Page, faults: string[]): void {
  page.on("pageerror", (error) => faults.push(error.message));
  page.on("console", (message) => {
    // What a server refuses is told on the page; the browser says it once more.
    if (message.type() === "error" && !message.text().startsWith("Failed to load resource")) faults.push(message.text());
  });
}

/** Holds a page, as it stands, against WCAG 2.2 AA. */
export async function expectAccessible(page: Page, what: string): Promise<void> {
  await page.evaluate(AXE);
  const violations = await page.evaluate(async (rules) => {
    const { axe } = globalThis as unknown as { axe: { run(root: unknown, options: object): Promise<{ violations: AxeViolation[] }> } };
    const found = await axe.run(document, { runOnly: rules });
    return found.violations.map(({ id, nodes }) => `${id}: ${nodes.map(({ target }) => target.join(" ")).join(", ")}`);
  }, RULES);
  expect(violations, what).toEqual([]);
}

interface AxeViolation {
  readonly id: string;
  readonly nodes: readonly { readonly target: readonly string[] }[];
}

/** The texts of a table's rows in sight, in the order of their columns. */
export const rowsInSight = (page: Page): Promise<string[][]> =>
  page.locator(".deck-row").evaluateAll((rows) =>
    rows
      .map((row) => ({
        at: Number(row.getAttribute("aria-rowindex")),
        cells: [...row.querySelectorAll(".cell")].map((cell) => cell.textContent ?? ""),
      }))
      .sort((a, b) => a.at - b.at)
      .map(({ cells }) => cells),
  );
