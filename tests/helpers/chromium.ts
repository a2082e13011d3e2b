import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { chromium, type Browser } from "playwright-core";

const PLACES = [
  "/usr/bin/chromium",
  "/usr/bin/chromium-browser",
  "/usr/bin/google-chrome",
  "/usr/bin/google-chrome-stable",
  "/Applications/Google Chrome.app/Contents/MacOS/Google Chrome",
  "/Applications/Chromium.app/Contents/MacOS/Chromium",
  "C:\\Program Files\\Google\\Chrome\\Application\\chrome.exe",
];
const FLAGS = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

/** A real Chromium: named by YOROSHI_CHROMIUM, in one of the usual places, or Debian's package, installed when we may. */
export async function openBrowser(): Promise<Browser> {
  return chromium.launch({ executablePath: findChromium(), args: FLAGS });
}

function findChromium(): string {
  const named = process.env["YOROSHI_CHROMIUM"];
  const found = named ?? PLACES.find((place) => existsSync(place));
  if (found) return found;
  if (process.getuid?.() === 0 && existsSync("/usr/bin/apt-get")) {
    execFileSync("apt-get", ["update"], { stdio: "ignore" });
    execFileSync("apt-get", ["install", "-y", "chromium"], { stdio: "ignore" });
    if (existsSync("/usr/bin/chromium")) return "/usr/bin/chromium";
  }
  throw new Error("These tests need Chromium or Chrome. Install it, or name it in YOROSHI_CHROMIUM.");
}
