import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, it } from "vitest";
import { filesContract, pagesContract, searchContract } from "../../src/contracts/index.js";
import { memoryFiles, memoryPages, memorySearch, type Search } from "../../src/core/index.js";
import { openProject } from "../../src/project/index.js";
import { ProjectSources } from "../../src/project/sources.js";

let folder: string;
let sources: ProjectSources;
let close: () => Promise<void>;
beforeAll(async () => {
  folder = mkdtempSync(path.join(tmpdir(), "yoroshi-ports-"));
  writeFileSync(
    path.join(folder, "yoroshi.yaml"),
    `yoroshi: project/1
web: { use: standin, pauseSeconds: 0 }
search:
  feed: { describe: "http://search.example/opensearch.xml" }
  list: { address: "http://search.example/json?q={searchTerms}&count={count?}", results: hits, fields: { address: page.href, title: name } }
  house: { folder: . }
`,
  );
  writeFileSync(path.join(folder, "ropes.md"), "# Ropes\n\nAll about a rope and its opening hours.");
  writeFileSync(path.join(folder, "knots.txt"), "A rope has knots, and its opening hours are long.");
  const project = await openProject({ cwd: folder });
  sources = new ProjectSources(project as never);
  close = async () => {
    await sources.close();
    await project.close();
  };
});
afterAll(async () => {
  await close();
  rmSync(folder, { recursive: true, force: true });
});

const hit = (at: string) => ({ address: `http://${at}.example/`, title: at, summary: "" });
const words = { pages: [{ text: "words" }] };

describe.each([
  ["in memory", () => ({ files: memoryFiles({ "a.txt": words }), there: "a.txt", missing: "b.txt" })],
  ["of a project", () => ({ files: sources.files, there: "ropes.md", missing: "none.md" })],
])("files %s", (_, open) => {
  it.each(filesContract(open).map(({ name, run }) => [name, run] as const))("%s", (_name, run) => run());
});

describe.each([
  ["in memory", () => ({ pages: memoryPages({ "http://a.example/": words }), there: "http://a.example/", missing: "http://b.example/" })],
  [
    "of the web",
    () => ({ pages: sources.pages, there: "http://ostrum-safety.example/contact", missing: "http://ostrum-safety.example/none" }),
  ],
])("pages %s", (_, open) => {
  it.each(pagesContract(open).map(({ name, run }) => [name, run] as const))("%s", (_name, run) => run());
});

/** The engine of a project that is not its first. */
const engine = (name: string): Search => ({
  find: (wanted, { engine: own, ...options }) => sources.search.find(wanted, { ...options, engine: own ?? name }),
});

describe.each([
  ["in memory", () => ({ search: memorySearch({ rope: [hit("a"), hit("b")] }), words: "rope", nothing: "zzz" })],
  ["by a feed", () => ({ search: engine("feed"), words: "opening hours", nothing: "qqxxzz" })],
  ["by JSON", () => ({ search: engine("list"), words: "opening hours", nothing: "qqxxzz" })],
  ["over a folder", () => ({ search: engine("house"), words: "rope opening hours", nothing: "qqxxzz" })],
])("search %s", (_, open) => {
  it.each(searchContract(open).map(({ name, run }) => [name, run] as const))("%s", (_name, run) => run());
});
