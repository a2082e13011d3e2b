import { afterAll, afterEach, describe, expect, it } from "vitest";
import { readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { notesCsv, removeTempFolders, run, smallProject } from "../helpers/cli.js";
import { completion, oddHosts } from "../helpers/odd-host.js";

afterAll(removeTempFolders);
const { host, closeAll } = oddHosts();
afterEach(closeAll);
const edit = (folder: string, file: string, change: (text: string) => string): void =>
  writeFileSync(path.join(folder, file), change(readFileSync(path.join(folder, file), "utf8")));

describe("what a host says that it counted", () => {
  it.each([
    ["beyond all numbers", { prompt_tokens: 1e308, completion_tokens: 20 }],
    ["negative", { prompt_tokens: -1_000_000, completion_tokens: 20 }],
    ["not whole", { prompt_tokens: 12.5, completion_tokens: 20 }],
    ["nothing for a long prompt", { prompt_tokens: 0, completion_tokens: 0 }],
    ["more than the prompt can have", { prompt_tokens: 900_000_000, completion_tokens: 20 }],
  ])("%s is charged by our own count, told once, and ends nothing", async (_, usage) => {
    const one = await host(() => completion({ usage }));
    const folder = smallProject(notesCsv(30), { endpoint: one.endpoint });
    const ran = await run(["fill", "log", "--json", "--no-probe", "--spend", "1"], folder);
    expect(ran.code).toBe(0);
    const report = ran.json<{ spent: number; tokensIn: number; filled: number }>();
    expect(report.filled).toBe(30);
    expect(report.spent).toBeGreaterThan(0);
    expect(report.spent).toBeLessThan(0.05);
    expect(ran.err.match(/are not believed/g)).toHaveLength(1);
    expect(ran.err).toMatch(
      /counts -?[\d.e+]+ tokens for a (prompt|reply) of about \d+ tokens, \d+ at most\. Such counts of the model quick are not believed; it is charged by our own\./,
    );
    const { spend } = (await run(["status", "log", "--json"], folder)).json<{ spend: { spent: number }[] }>();
    expect(spend.reduce((sum, line) => sum + line.spent, 0)).toBeCloseTo(report.spent, 6);
  });

  it("never gives room that the cap has not", async () => {
    const one = await host(() => completion({ usage: { prompt_tokens: -1_000_000, completion_tokens: -5 } }));
    const folder = smallProject(notesCsv(200), { endpoint: one.endpoint });
    const report = (await run(["fill", "log", "--json", "--no-probe", "--spend", "0.003"], folder)).json<{
      end: string;
      asked: number;
      spent: number;
    }>();
    expect(report.end).toBe("spendCap");
    expect(report.spent).toBeLessThanOrEqual(0.003);
    expect(report.asked).toBeLessThan(200);
  });
});

describe("a cap that ends a run says which it is, and the way out works", () => {
  it("the run's own", async () => {
    const one = await host(() => completion());
    const folder = smallProject(notesCsv(100), { endpoint: one.endpoint });
    const ran = await run(["fill", "log", "--no-probe", "--spend", "0.002"], folder);
    expect(ran).toMatchObject({
      code: 1,
      err: expect.stringContaining("The spend cap of 0.002000 USD leaves no room for another request; raise it with `--spend`"),
    });
    expect(await run(["fill", "log", "--no-probe", "--spend", "1"], folder)).toMatchObject({ code: 0 });
  });

  it("one that a single request may pass", async () => {
    const one = await host(() => completion());
    const folder = smallProject(notesCsv(3), { endpoint: one.endpoint });
    const ran = await run(["fill", "log", "--no-probe", "--spend", "0.0001"], folder);
    expect(ran.err).toMatch(
      /One request may cost up to 0\.\d+ USD, more than the cap of 0\.000100 USD, so none was sent\. Give `--spend` more than that, or the template a smaller/,
    );
    expect(one.requests).toBe(0);
    const needs = /up to (0\.\d+) USD/.exec(ran.err)![1]!;
    expect(
      (await run(["fill", "log", "--no-probe", "--spend", String(Number(needs) * 1.001), "--json"], folder)).json<{ asked: number }>()
        .asked,
    ).toBeGreaterThan(0);
  });

  it("the month's, of a fill and of a trial", async () => {
    const one = await host(() => completion());
    const folder = smallProject(notesCsv(60), { endpoint: one.endpoint });
    edit(folder, "yoroshi.yaml", (text) => `${text}limits: { spendPerMonth: 0.002 }\n`);
    const ran = await run(["fill", "log", "--no-probe", "--spend", "5"], folder);
    expect(ran.err).toMatch(
      /The month's cap is reached \(`limits: \{ spendPerMonth: … \}` in yoroshi\.yaml; 0\.00\d+ USD of it was left\)\. Raise it there, or go on next month; --spend cannot\./,
    );
    writeFileSync(path.join(folder, "samples.csv"), "note,topic\nsome smoke,fire\n");
    expect(await run(["trial", "sort", "--samples", "samples.csv"], folder)).toMatchObject({
      code: 1,
      err: expect.stringContaining("error: The month's cap is reached"),
    });
    edit(folder, "yoroshi.yaml", (text) => text.replace("0.002", "5"));
    expect(await run(["fill", "log", "--no-probe"], folder)).toMatchObject({ code: 0 });
  });
});

it("commands that ask nothing need no key and open no model", async () => {
  const one = await host(() => completion());
  const folder = smallProject(notesCsv(5), { endpoint: one.endpoint, model: ", key: { env: YOROSHI_NO_SUCH_KEY }" });
  for (const command of [
    ["status", "log"],
    ["fill", "log", "--dry-run"],
    ["samples", "draw", "log", "--rows", "2"],
    ["check"],
    ["show", "log"],
    ["show", "sort"],
  ])
    expect(await run(command, folder)).toMatchObject({ code: 0 });
  expect(one.requests).toBe(0);
  for (const command of [
    ["fill", "log"],
    ["try", "log"],
    ["try", "sort", "--input", "note=x"],
    ["trial", "sort"],
  ])
    expect(await run(command, folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining("environment variable YOROSHI_NO_SUCH_KEY, which is not set"),
    });
});
