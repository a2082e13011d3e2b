import { describe, expect, it } from "vitest";
import { fakeClock } from "../../../tests/helpers/clock.js";
import { scriptedModel } from "../../../tests/helpers/models.js";
import { messageText, type Json } from "../ground/index.js";
import { ModelFailure } from "../model/index.js";
import { memoryPages, type Sources } from "../sources/index.js";
import { gatherInputs, prepare, template } from "../template/index.js";
import { askPrepared } from "./ask.js";

const page = (text: string, links: string[] = []) => ({ pages: [{ text }], links });

/** A template whose model may ask for more, over a small web. */
function world(further: number) {
  const kept = new Map<string, Json>();
  const searched: string[] = [];
  const sources: Sources = {
    kept: { get: async (name) => kept.get(name), set: async (name, value) => void kept.set(name, value), now: () => 0 },
    pages: memoryPages({
      "http://a.example/": page("Ropes and fenders.", ["http://a.example/contact", "http://evil.example/"]),
      "http://a.example/contact": page("Open at seven."),
      "http://evil.example/": page("Buy!"),
      "http://b.example/": page("Call 555."),
    }),
    search: {
      find: async (words) => {
        searched.push(words);
        return (words === "ropes" ? ["http://a.example/"] : words === "ropes phone" ? ["http://b.example/"] : []).map((address) => ({
          address,
          title: "",
          summary: "",
        }));
      },
    },
  };
  const shop = template({
    name: "shop",
    inputs: { shop: { kind: "text" } },
    legwork: { search: ["{{ shop }}"], hosts: { not: ["evil.example"] }, ...(further > 0 ? { further } : {}) },
    task: "When is {{ shop }} open?",
    answer: { hours: { kind: "text", evidence: { in: ["found"] } } },
  });
  return { prepared: prepare(shop, {}, { sources }), searched };
}

const askedWith = async (further: number, turns: readonly (object | Error)[]) => {
  const { prepared, searched } = world(further);
  let turn = 0;
  const model = scriptedModel((request) => {
    if (request.schemaName !== "look-further") return JSON.stringify({ hours: { quote: "Open at seven", value: "from seven" } });
    const next = turns[turn++] ?? { enough: true, searches: [], pages: [] };
    if (next instanceof Error) throw next;
    return JSON.stringify(next);
  });
  const reading = await gatherInputs(prepared, { shop: "ropes" });
  if (reading.state !== "ready") throw new Error("not ready");
  return { answer: await askPrepared(prepared as never, reading.inputs, { model, clock: fakeClock() }), model, searched };
};

describe("research that the model leads", () => {
  it("searches and reads what it asks for, turn by turn, and answers from all of it", async () => {
    const { answer, model, searched } = await askedWith(3, [
      { enough: false, searches: ["ropes phone"], pages: [] },
      { enough: false, searches: [], pages: [1] },
    ]);
    expect(searched).toEqual(["ropes", "ropes phone"]);
    expect(answer).toMatchObject({
      state: "answered",
      parts: { hours: "from seven" },
      asks: 4,
      evidence: { hours: { place: { address: "http://a.example/contact", page: 3 } } },
      seen: [{ input: "found", found: ["http://a.example/", "http://b.example/", "http://a.example/contact"] }],
    });
    expect(answer.exchanges?.map(({ why }) => why)).toEqual(["research", "research", "research", "asked"]);
    // Pages that it may not read are not offered.
    const offered = messageText(model.requests[0]!.messages.at(-1)!);
    expect(offered).toContain("1. http://a.example/contact");
    expect(offered).not.toContain("evil.example");
  });

  it("takes no more turns than it may, and none where the first is enough", async () => {
    const more = { enough: false, searches: ["more"], pages: [] };
    const turns = async (...given: Parameters<typeof askedWith>): Promise<number> =>
      (await askedWith(...given)).model.requests.filter(({ schemaName }) => schemaName === "look-further").length;
    expect(await turns(2, [more, more, more, more])).toBe(2);
    expect(await turns(2, [])).toBe(1);
    expect(await turns(0, [])).toBe(0);
  });

  it("answers from what there is where a turn cannot be read, and fails for now where the host is away", async () => {
    const { answer } = await askedWith(2, [{ nonsense: true }, { nonsense: true }]);
    expect(answer).toMatchObject({ state: "answered", parts: { hours: null }, evidence: { hours: { found: "never" } } });
    expect((await askedWith(2, [new ModelFailure("server", "down")])).answer).toMatchObject({ state: "failed" });
  });
});
