import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { ERRORS } from "../../src/core/index.js";
import { MAIN, run } from "../helpers/cli.js";

const root = fileURLToPath(new URL("../..", import.meta.url));
const read = (file: string): string => readFileSync(path.join(root, file), "utf8");

describe("the documentation", () => {
  it("lists every error code with its exit code, and no other", () => {
    const listed = [...read("docs/errors.md").matchAll(/^\| `(\w+)` \| (\d+) \|/gm)].map((match) => [match[1], Number(match[2])]);
    expect(listed.sort()).toEqual(
      Object.entries(ERRORS)
        .map(([code, { exit }]) => [code, exit])
        .sort(),
    );
  });

  it("links to files that exist, and shows every picture", () => {
    const readme = read("README.md");
    for (const [, link] of readme.matchAll(/\]\((docs\/[^)#]+)\)/g)) expect(() => read(link!), link).not.toThrow();
    for (const picture of readdirSync(path.join(root, "docs/screenshots"))) expect(readme).toContain(picture);
  });

  it("names every command that there is, and the guide only options that exist", async () => {
    const help = (await run(["--help"], root)).out;
    const commands = [...help.matchAll(/^ {2}([a-z]+) /gm)].map((match) => match[1]!).filter((name) => name !== "help");
    const guide = readdirSync(path.join(root, "docs/guide"))
      .map((file) => read(`docs/guide/${file}`))
      .join("\n");
    for (const command of commands) expect(guide + read("README.md"), command).toContain(command);
    for (const command of [
      "new",
      "try",
      "trial",
      "fill",
      "status",
      "standin",
      "versions",
      "show",
      "types",
      "samples draw",
      "samples label",
      "samples seal",
    ]) {
      const options = (await run([...command.split(" "), "--help"], root)).out;
      for (const line of guide.split("\n").filter((text) => text.startsWith(`yoroshi ${command} `))) {
        for (const [option] of line.split("#")[0]!.matchAll(/--[a-z-]+/g)) expect(options, `${command} ${option}`).toContain(option);
      }
    }
    expect(MAIN).toContain("dist");
  });

  it("fits the help into 100 columns and needs a moment only", async () => {
    expect((await run(["--help"], root)).code).toBe(0);
    expect((await run([], root)).code).toBe(2);
  });
});
