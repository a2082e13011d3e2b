import { describe, expect, it } from "vitest";
import type { Json } from "../ground/index.js";
import { choosePassages } from "./choose-passages.js";
import { errandName } from "./errand.js";
import { findLegwork, openLegwork } from "./legwork.js";
import { memoryPages } from "./memory-files.js";
import { isProblem, type Hit, type KeptFindings, type Sources } from "./sources.js";

const DAY = 86_400_000;
const MAY = { mayFetch: true };
const page = (text: string, links: string[] = []) => ({ pages: [{ text }], title: text.slice(0, 8), links });

function world(hits: Readonly<Record<string, readonly string[]>>, pages: Parameters<typeof memoryPages>[0]) {
  const kept = new Map<string, Json>();
  const searched: string[] = [];
  let now = 1_000;
  const findings: KeptFindings = {
    get: async (name) => kept.get(name),
    set: async (name, value) => void kept.set(name, value),
    now: () => now,
  };
  const sources: Sources = {
    pages: memoryPages(pages),
    kept: findings,
    search: {
      find: async (words, { results }) => {
        searched.push(words);
        return (hits[words] ?? []).slice(0, results).map((address): Hit => ({ address, title: "", summary: "" }));
      },
    },
  };
  return { sources, searched, later: (ms: number) => (now += ms) };
}

const errand = (search: readonly string[], read: readonly string[] = []): string => errandName({ search, read, about: "When is it open?" });
const spec = (more: object = {}) => ({ kind: "legwork", ...more }) as never;

describe("legwork", () => {
  const one = () =>
    world(
      { ropes: ["http://a.example/", "http://ads.example/", "http://down.example/", "http://b.example/shop"] },
      {
        "http://a.example/": page("Ropes. Open at seven.", [
          "http://a.example/contact",
          "http://b.example/contact",
          "http://a.example/jobs",
        ]),
        "http://a.example/contact": page("Call 555."),
        "http://ads.example/": page("Buy!"),
        "http://down.example/": { problem: "could not be had: its host failed (500)", mayPass: true },
        "http://b.example/shop": page("Another shop."),
      },
    );

  it("reads what was found, and what is followed on its own host, but no host that is ruled out; tells what it did", async () => {
    const { sources } = one();
    const found = await findLegwork(
      sources,
      errand(["ropes"]),
      spec({ results: 4, follow: ["contact"], hosts: { not: ["ads.example"] } }),
      MAY,
    );
    if (!found || isProblem(found)) throw new Error("nothing found");
    const opened = await openLegwork(sources, found);
    expect(opened).toMatchObject({
      pages: [
        { page: 1, address: "http://a.example/", text: "Ropes. Open at seven." },
        { page: 2, address: "http://b.example/shop" },
        { page: 3, address: "http://a.example/contact" },
      ],
      steps: [
        { did: "search", what: "ropes", found: 4 },
        { did: "read", what: "http://a.example/", chars: 21 },
        { did: "read", what: "http://down.example/", problem: "could not be had: its host failed (500)" },
        { did: "read", what: "http://b.example/shop" },
        { did: "follow", what: "http://a.example/contact", chars: 9 },
      ],
    });
  });

  it("reads no more pages than it may, keeps to hosts that alone are allowed, and begins with addresses that are given", async () => {
    const { sources } = one();
    const steps = async (name: string, more: object): Promise<unknown> => {
      const found = await findLegwork(sources, name, spec(more), MAY);
      if (!found || isProblem(found)) return found?.problem;
      const opened = await openLegwork(sources, found);
      return "pages" in opened ? opened.pages.map(({ address }) => address) : opened;
    };
    expect(await steps(errand(["ropes"]), { results: 4, readPages: 1 })).toEqual(["http://a.example/"]);
    expect(await steps(errand(["ropes"]), { results: 4, hosts: { only: ["b.example"] } })).toEqual(["http://b.example/shop"]);
    expect(await steps(errand(["ropes"], ["http://a.example/contact"]), { results: 1 })).toEqual([
      "http://a.example/contact",
      "http://a.example/",
    ]);
    expect(await steps(errand(["nothing"]), {})).toBe("found nothing: search nothing");
  });

  it("takes an address for the host that a fetch would reach, and reads nothing that has moved to one that is ruled out", async () => {
    const written = [
      "http://good.example@bad.example/",
      "http://bad.example\\.good.example/",
      "http://bad.example./",
      "http://BAD.example:80/",
      "http://bad\t.example/",
      "http://sub.bad.example/",
    ];
    const reached = written.map((address) => new URL(address).hostname.replace(/\.$/, ""));
    expect(reached.every((host) => host === "bad.example" || host === "sub.bad.example")).toBe(true);
    const { sources } = world(
      { any: [...written, "http://moved.good.example/", "http://good.example/"] },
      {
        ...Object.fromEntries(written.map((address) => [address, page("Bad.")])),
        "http://moved.good.example/": { ...page("Bad, too."), address: "http://bad.example/there" },
        "http://good.example/": page("Good."),
      },
    );
    for (const hosts of [{ not: ["bad.example"] }, { only: ["good.example"] }]) {
      const found = await findLegwork(sources, errand(["any"]), spec({ results: 10, readPages: 10, hosts }), MAY);
      if (!found || isProblem(found)) throw new Error("nothing found");
      const opened = await openLegwork(sources, found);
      expect("pages" in opened && opened.pages.map(({ text }) => text)).toEqual(["Good."]);
      expect("steps" in opened && opened.steps).toContainEqual(
        expect.objectContaining({
          what: "http://moved.good.example/",
          problem: expect.stringContaining("moved to http://bad.example/there"),
        }),
      );
    }
  });

  it("is done once while it is young enough; the same findings are the same handle", async () => {
    const { sources, searched, later } = one();
    const first = await findLegwork(sources, errand(["ropes"]), spec(), MAY);
    later(29 * DAY);
    expect(await findLegwork(sources, errand(["ropes"]), spec(), MAY)).toEqual(first);
    expect(searched).toEqual(["ropes"]);
    later(2 * DAY);
    expect(await findLegwork(sources, errand(["ropes"]), spec(), { mayFetch: false })).toEqual(first);
    expect(searched).toEqual(["ropes"]);
    expect(await findLegwork(sources, errand(["ropes"]), spec(), MAY)).toEqual(first);
    expect(searched).toEqual(["ropes", "ropes"]);
    expect(await findLegwork(sources, errand(["other"]), spec(), { mayFetch: false })).toBeUndefined();
  });
});

describe("choosing passages", () => {
  it("keeps all where there is room, else what has most to do with the question, in its order and with gaps marked", async () => {
    const filler = (n: number): string => `Paragraph ${n} tells of the weather on the coast and of nothing else. `.repeat(6);
    const long = `${filler(1)}\n\n${filler(2)}\n\nThe emergency number is 555 0199.\n\n${filler(3)}\n\nOpening hours are 7 to 9.`;
    expect(await choosePassages([long], "?", 1e6)).toEqual([long.trim()]);
    const [chosen] = await choosePassages([long], "emergency number, opening hours", 900);
    expect(chosen!.length).toBeLessThanOrEqual(1_000);
    expect(chosen).toContain("The emergency number is 555 0199.");
    expect(chosen).toContain("Opening hours are 7 to 9.");
    expect(chosen!.indexOf("0199")).toBeLessThan(chosen!.indexOf("7 to 9"));
    expect(chosen).toContain("…");
    expect(await choosePassages(["", "short"], "x", 100)).toEqual(["", "short"]);
  });
});
