import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, describe, expect, it } from "vitest";
import { searchEngines, type Engine, type SearchOptions } from "../../src/adapters/search/index.js";

const made: string[] = [];
afterAll(() => {
  for (const folder of made) rmSync(folder, { recursive: true, force: true });
});

const DESCRIPTION = `<?xml version="1.0"?>
<OpenSearchDescription xmlns="http://a9.com/-/spec/opensearch/1.1/">
  <Url type="text/html" template="http://e.example/page?q={searchTerms}"/>
  <Url type="application/rss+xml" template="http://e.example/rss?q={searchTerms}"/>
  <Url type="application/atom+xml" template="http://e.example/atom?q={searchTerms}&amp;n={count}&amp;from={startIndex?}&amp;x={geo:box?}"/>
</OpenSearchDescription>`;
const ATOM = `<feed xmlns="http://www.w3.org/2005/Atom"><title>Found</title>
  <entry><title>Knots &amp; ropes</title><link rel="self" href="http://e.example/self"/><link href="http://knots.example/"/>
    <summary type="html">&lt;b&gt;All&lt;/b&gt; knots</summary></entry>
  <entry><title>No way to it</title></entry>
  <entry><title>Elsewhere</title><link href="ftp://old.example/"/></entry></feed>`;
const RSS = `<rss version="2.0"><channel><title>Found</title><link>http://e.example/</link>
  <item><title><![CDATA[Tides <today>]]></title><link> http://tides.example/ </link><description>High at noon</description></item></channel></rss>`;

/** An engine whose replies are these, and what it was asked. */
const over = (
  engine: Engine | Readonly<Record<string, Engine>>,
  replies: Readonly<Record<string, Awaited<ReturnType<SearchOptions["text"]>>>>,
) => {
  const asked: string[] = [];
  const engines = "describe" in engine || "address" in engine || "folder" in engine ? { own: engine as Engine } : engine;
  const search = searchEngines({
    engines: engines as Readonly<Record<string, Engine>>,
    text: async (address, { maxAgeDays }) => {
      asked.push(`${address} ${maxAgeDays}`);
      return replies[address] ?? { problem: "is not there", mayPass: true };
    },
    place: (folder) => folder,
    read: async (file) => ({ text: await readFile(file, "utf8") }),
  });
  const find = (words: string, options: { engine?: string } = {}) =>
    search.find(words, { results: 5, maxAgeDays: 30, mayFetch: true, ...options });
  return { find, asked };
};
const reply = (text: string) => ({ text, type: "text/xml" });

describe("an engine by its OpenSearch description", () => {
  it("is asked by Atom before RSS, its words escaped, what may be left out left out; the description is kept for a week", async () => {
    const address = "http://e.example/atom?q=ropes%20%26%20sails&n=5&from=1&x=";
    const { find, asked } = over({ describe: "http://e.example/d" }, { "http://e.example/d": reply(DESCRIPTION), [address]: reply(ATOM) });
    expect(await find("ropes & sails")).toEqual([{ address: "http://knots.example/", title: "Knots & ropes", summary: "All  knots" }]);
    expect(asked).toEqual(["http://e.example/d 7", `${address} 30`]);
  });

  it("may give RSS alone", async () => {
    const described = DESCRIPTION.replace(/<Url type="application\/atom.*\/>/, "");
    const { find } = over(
      { describe: "http://e.example/d" },
      { "http://e.example/d": reply(described), "http://e.example/rss?q=tide": reply(RSS) },
    );
    expect(await find("tide")).toEqual([{ address: "http://tides.example/", title: "Tides <today>", summary: "High at noon" }]);
  });

  it("keeps the entries before the place where a feed is broken off", async () => {
    const address = "http://e.example/atom?q=a&n=5&from=1&x=";
    const replies = { "http://e.example/d": reply(DESCRIPTION), [address]: reply(ATOM.slice(0, ATOM.indexOf("<entry><title>No way"))) };
    expect(await over({ describe: "http://e.example/d" }, replies).find("a")).toHaveLength(1);
  });

  it.each([
    ["is not there", {}, "is not there"],
    [
      "names only pages",
      { "http://e.example/d": reply("<OpenSearchDescription/>") },
      "has an engine whose description names neither Atom nor RSS",
    ],
    ["is no XML", { "http://e.example/d": reply("{}") }, "has an engine whose description names neither Atom nor RSS"],
    [
      "wants what is not known",
      { "http://e.example/d": reply(DESCRIPTION.replace("geo:box?", "geo:box")) },
      "wants something of its engine that is not known here",
    ],
    [
      "answers with a page",
      { "http://e.example/d": reply(DESCRIPTION), "http://e.example/atom?q=a&n=5&from=1&x=": reply("<html><body>Blocked</body></html>") },
      "got neither Atom nor RSS from its engine",
    ],
  ])("says what is wrong where it %s", async (_, replies, problem) => {
    expect(await over({ describe: "http://e.example/d" }, replies).find("a")).toMatchObject({ problem });
  });
});

describe("an engine that gives JSON", () => {
  const engine = { address: "http://j.example/?q={searchTerms}", results: "data.items", fields: { address: "page.href", title: "name" } };
  const at = "http://j.example/?q=a";

  it("has its hits where the project says; such without an address are none", async () => {
    const items = [{ page: { href: "https://a.example/" }, name: 7 }, { name: "lost" }, null, { page: { href: "javascript:x" } }];
    expect(await over(engine, { [at]: reply(JSON.stringify({ data: { items } })) }).find("a")).toEqual([
      { address: "https://a.example/", title: "7", summary: "" },
    ]);
  });

  it("may give the list itself", async () => {
    const own = { address: engine.address, results: "", fields: { address: "u" } };
    expect(await over(own, { [at]: reply('[{"u":"http://a.example/"}]') }).find("a")).toHaveLength(1);
  });

  it("says what it gave instead", async () => {
    expect(await over(engine, { [at]: reply("<html>") }).find("a")).toMatchObject({ problem: "went to an engine that gave no JSON" });
    expect(await over(engine, { [at]: reply('{"data":[]}') }).find("a")).toMatchObject({
      problem: "went to an engine that gave no list at `data.items`",
    });
  });
});

describe("engines of a project", () => {
  it("are asked by name, the first where none is named; one that is not there is told with those that are", async () => {
    const engines = {
      first: { address: "http://1.example/", results: "", fields: { address: "u" } },
      second: { address: "http://2.example/", results: "", fields: { address: "u" } },
    };
    const { find, asked } = over(engines, {});
    await find("a");
    await find("a", { engine: "second" });
    expect(asked).toEqual(["http://1.example/ 30", "http://2.example/ 30"]);
    expect(await find("a", { engine: "third" })).toEqual({
      problem: "names the engine `third`, which yoroshi.yaml does not have; it has first, second",
    });
    expect(await over({}, {}).find("a")).toEqual({ problem: "has no engine: name one in yoroshi.yaml under `search`" });
  });
});

describe("a folder as an engine", () => {
  it("is read anew when a document comes, goes or changes; a folder without any says so", async () => {
    const folder = mkdtempSync(path.join(tmpdir(), "yoroshi-folder-"));
    made.push(folder);
    const { find } = over({ folder: `${folder}/` }, {});
    const titles = async (words: string) => {
      const found = await find(words);
      return Array.isArray(found) ? found.map(({ title }: { title: string }) => title) : found;
    };
    expect(await titles("rope")).toEqual({ problem: `went to the folder ${folder}, in which no document can be read` });
    mkdirSync(path.join(folder, "deep"));
    writeFileSync(path.join(folder, "deep/a.md"), "A rope and its care.");
    writeFileSync(path.join(folder, "b.md"), "The tide.");
    expect(await titles("rope")).toEqual(["a.md"]);
    writeFileSync(path.join(folder, "b.md"), "The tide takes every rope; a rope is weak.");
    expect(await titles("rope")).toHaveLength(2);
    rmSync(path.join(folder, "deep/a.md"));
    expect(await titles("rope")).toEqual(["b.md"]);
  });
});
