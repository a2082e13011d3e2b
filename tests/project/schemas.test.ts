import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { parse } from "yaml";
import * as z from "zod";

const root = fileURLToPath(new URL("../..", import.meta.url));
const schemaOf = (name: string): z.ZodType =>
  z.fromJSONSchema(JSON.parse(readFileSync(path.join(root, "dist/schemas", `${name}.json`), "utf8")));
const files = (folder: string): string[] =>
  readdirSync(path.join(root, folder))
    .filter((file) => file.endsWith(".yaml"))
    .map((file) => path.join(folder, file));
const read = (file: string): unknown => parse(readFileSync(path.join(root, file), "utf8"));

describe("the JSON Schemas for editors", () => {
  const template = schemaOf("template-1");
  it.each([...files("demo/templates"), ...files("demo/drafts"), ...files("starters")])("take %s", (file) => {
    expect(template.safeParse(read(file)).error?.issues ?? []).toEqual([]);
  });

  it("take plans and projects", () => {
    for (const file of files("demo/plans")) expect(schemaOf("plan-1").safeParse(read(file)).success, file).toBe(true);
    expect(schemaOf("project-1").safeParse(read("demo/yoroshi.yaml")).success).toBe(true);
  });

  it("refuse unknown keys and kinds", () => {
    const good = read("demo/templates/one-line.yaml") as { answer: Record<string, object> };
    expect(template.safeParse({ ...good, tasks: "x" }).success).toBe(false);
    expect(template.safeParse({ ...good, answer: { summary: { kind: "text", maxChar: 3 } } }).success).toBe(false);
    expect(template.safeParse({ ...good, answer: { summary: { kind: "words" } } }).success).toBe(false);
  });
});
