import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, describe, expect, it } from "vitest";
import { removeTempFolders, run, tempFolder } from "../helpers/cli.js";

afterAll(removeTempFolders);

/** A project that the release with the first form of prompts filled, with one cell edited by a person. */
const FIRST = fileURLToPath(new URL("../fixtures/first-form", import.meta.url));
const project = (): string => {
  const folder = path.join(tempFolder(), "p");
  cpSync(FIRST, folder, { recursive: true });
  mkdirSync(path.join(folder, ".yoroshi"));
  cpSync(path.join(FIRST, "ledger.sqlite"), path.join(folder, ".yoroshi", "ledger.sqlite"));
  return folder;
};

describe("an upgrade", () => {
  it("makes no cell stale and pays for nothing again; answers to earlier prompts stand, and are counted", async () => {
    const folder = project();
    const before = readFileSync(path.join(folder, "log.filled.csv"), "utf8");
    const status = (await run(["status", "log", "--json"], folder)).json<{ columns: object; notes: { note: string; rows: number }[] }>();
    expect(status.columns).toEqual({ topic: { filled: 11, edited: 1 }, level: { filled: 12 }, because: { filled: 12 } });
    expect(status.notes).toEqual([
      {
        note: "answered by an earlier form of prompts; stands until the row or the template changes, or --refill all is said",
        code: "earlierForm",
        rows: 12,
        keys: ["n0", "n1", "n2", "n3", "n4"],
      },
    ]);
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 0, filled: 12, spent: 0, newEdits: 0 });
    expect(readFileSync(path.join(folder, "log.filled.csv"), "utf8")).toBe(before);
  });

  it("asks in the new form what has changed, and all that --refill all names", async () => {
    const folder = project();
    const file = path.join(folder, "log.csv");
    writeFileSync(file, readFileSync(file, "utf8").replace("Note 2: the motor", "Note 2: the old motor"));
    expect((await run(["fill", "log", "--json"], folder)).json()).toMatchObject({ asked: 1, filled: 12 });
    const rows = async (): Promise<number | undefined> =>
      (await run(["status", "log", "--json"], folder)).json<{ notes: { rows: number }[] }>().notes[0]?.rows;
    expect(await rows()).toBe(11);
    expect((await run(["fill", "log", "--refill", "all", "--json"], folder)).json()).toMatchObject({ asked: 12, filled: 12 });
    expect(await rows()).toBeUndefined();
  });
});
