import { readFileSync } from "node:fs";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { listStarters, openProject, runJob, type Project } from "../../src/jobs/index.js";
import { removeTempFolders, run, smallProject } from "../helpers/cli.js";

const { starters } = await runJob(listStarters, undefined, {});
let folder: string;
let project: Project;

beforeAll(async () => {
  folder = smallProject("id,note\na,x\n");
  project = await openProject({ cwd: folder });
});
afterAll(async () => {
  await project.close();
  removeTempFolders();
});

it("there are starters for what is asked of rows most", () => {
  expect(starters.length).toBeGreaterThanOrEqual(15);
  for (const { name, title, tags } of starters) expect([name, title.length > 5, tags.length > 0]).toEqual([name, true, true]);
});

describe.each(starters.map(({ name }) => name))("the starter %s", (starter) => {
  it("is written, is without mistakes, and answers its own sample", async () => {
    const name = `my-${starter}`;
    const made = await run(["new", name, "--from", starter, "--json"], folder);
    expect(made).toMatchObject({ code: 0 });
    expect(made.json<{ files: string[] }>().files[0]).toBe(path.join("templates", `${name}.yaml`));
    expect(await project.check("template", name)).toEqual([]);
    const tried = await run(["try", name, "--json"], folder);
    expect(tried.json()).toMatchObject({ state: "answered", notes: [] });
    expect(tried.code).toBe(0);
  });
});

it("new lists, refuses what exists, and names the nearest starter", async () => {
  expect((await run(["new"], folder)).out).toMatch(/one-line-summary +One sentence +summary/);
  await run(["new", "mine", "--from", "match-catalogue"], folder);
  const before = readFileSync(path.join(folder, "reference/catalogue.csv"), "utf8");
  expect(await run(["new", "mine", "--from", "topics"], folder)).toMatchObject({
    code: 2,
    err: expect.stringContaining("templates/mine.yaml exists. Choose another name."),
  });
  expect(await run(["new", "other", "--from", "topic"], folder)).toMatchObject({
    code: 2,
    err: expect.stringContaining("Did you mean `topics`?"),
  });
  expect(await run(["new", "Other Name", "--from", "topics"], folder)).toMatchObject({ code: 2 });
  expect(await run(["new", "other"], folder)).toMatchObject({ code: 2, err: expect.stringContaining("say where to begin") });
  expect(readFileSync(path.join(folder, "reference/catalogue.csv"), "utf8")).toBe(before);
});
