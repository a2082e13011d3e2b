import type { CancelSignal, Json } from "../ground/index.js";
import type { LegworkSpec } from "../kinds/index.js";
import type { AskedModel } from "../model/index.js";
import { addFindings, shownText, type Opened } from "../sources/index.js";
import { prepare, template, untypedPrepared, type Prepared } from "../template/index.js";
import type { Conversation } from "./conversation.js";
import { askOnce } from "./question.js";

const MOST_LINKS = 40;

/** Asks what else should be looked up: an ordinary question with a typed answer, whatever host the model has. */
const FURTHER = untypedPrepared(
  prepare(
    template({
      name: "look-further",
      inputs: { question: { kind: "text" }, known: { kind: "text", required: false }, links: { kind: "text", required: false } },
      task: `Somebody is going to answer a question from what was looked up for it. Decide whether that is enough, or what else to look up.
The question: {{ question }}
What was looked up: {{ known }}
Pages that it leads to, each with its number: {{ links }}`,
      answer: {
        enough: { kind: "yesNo", about: "Whether the question can be answered from what was looked up" },
        searches: {
          kind: "list",
          about: "Searches that would help, in few words each; none where it is enough",
          of: { kind: "text", maxChars: 120 },
          atMost: 3,
        },
        pages: {
          kind: "list",
          about: "Numbers of the pages that would help; none where it is enough",
          of: { kind: "number", decimals: 0 },
          atMost: 3,
        },
      },
      whenMissing: { known: "proceed", links: "proceed" },
      model: { temperature: 0, maxTokens: 300 },
    }),
  ),
);

/**
 * Lets the model ask for more, in so many turns at most: further searches, and pages among those that were led to. Each is had within the
 * limits of the template's legwork, each turn is a request like any other. What cannot be read ends it, and the question is asked from what
 * there is.
 */
export async function researchFurther(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  opened: Opened,
  talk: Conversation,
  model: AskedModel,
  signal: CancelSignal | undefined,
): Promise<Opened> {
  const spec = prepared.legwork!.spec as LegworkSpec & { readonly kind: string };
  const question = prepared.pieces.turn(Object.fromEntries(Object.entries(inputs).filter(([name]) => name in prepared.template.inputs)));
  let found = opened;
  for (let turn = 0; turn < (spec.further ?? 0); turn++) {
    const links = (found.links ?? []).filter((link) => !found.pages.some(({ address }) => address === link)).slice(0, MOST_LINKS);
    const asked = await askOnce(
      FURTHER,
      { question, known: shownText(found), links: links.map((link, index) => `${index + 1}. ${link}`).join("\n") || null },
      talk,
      model,
      "research",
    );
    if (asked.state !== "answered") break;
    const { enough, searches, pages } = asked.parts as { enough: boolean; searches: string[]; pages: number[] };
    const read = pages.flatMap((number) => links[number - 1] ?? []);
    if (enough || searches.length + read.length === 0) break;
    found = await addFindings(prepared.sources ?? {}, found, { search: searches, read, about: question }, spec, { mayFetch: true, signal });
  }
  return found;
}
