import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { VERSION } from "./version.js";

const read = (file: string): string => readFileSync(new URL(`../../${file}`, import.meta.url), "utf8");

it("is the package's, also on the command line", () => {
  expect(VERSION).toBe((JSON.parse(read("package.json")) as { version: string }).version);
  expect(read("src/cli/main.ts")).toContain(`.version("${VERSION}")`);
});
