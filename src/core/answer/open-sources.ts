import { countChars, remark, textMessage, type ImagePart, type Json, type Message, type Remark } from "../ground/index.js";
import type { SourceHandle } from "../kinds/index.js";
import { pictureTokens, type Model } from "../model/index.js";
import { isProblem, openSource, shownText, type LegworkStep, type Opened, type Picture } from "../sources/index.js";
import { cutAtSentence, keepEnds, type NamedShape, type Prepared } from "../template/index.js";

/** What was shown to a model of a source. */
export interface SeenSource {
  readonly input: string;
  /** Of the source as it was found. */
  readonly hash: string;
  readonly type: string;
  readonly bytes: number;
  readonly address?: string | undefined;
  readonly title?: string | undefined;
  readonly fetchedAt?: string | undefined;
  /** What was done to find it, of what was looked up, and where it was found. */
  readonly steps?: readonly LegworkStep[] | undefined;
  readonly found?: readonly string[] | undefined;
  /** The pictures that were sent. */
  readonly pictures?:
    readonly { readonly hash: string; readonly bytes: number; readonly width: number; readonly height: number }[] | undefined;
}

/** A question with what its row names at hand. */
export interface WithSources {
  readonly prepared: Prepared;
  readonly inputs: Readonly<Record<string, Json>>;
  readonly seen: readonly SeenSource[];
  /** What was left out of sources. */
  readonly notes: readonly Remark[];
}

/**
 * Opens what a question's row names: texts take the place of handles, pictures go beside the words. A source that cannot be opened is
 * the reason why the row cannot be asked; `mayPass`: not for good.
 *
 * @param model what it counts for a picture.
 * @param research what more is looked up, where the model may ask for it.
 */
export async function openSources(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  model: Pick<Model, "pictures">,
  research?: (found: Opened) => Promise<Opened>,
): Promise<WithSources | { readonly reason: Remark; readonly mayPass?: boolean | undefined }> {
  const shown: Record<string, Json> = { ...inputs };
  const quoted: Record<string, Json> = { ...inputs };
  const shownPictures: { readonly input: string; readonly picture: Picture }[] = [];
  const seen: SeenSource[] = [];
  const notes: Remark[] = [];
  for (const input of prepared.legwork ? [...prepared.inputs, prepared.legwork] : prepared.inputs) {
    const value = inputs[input.name];
    if (!input.kind.source || value === null || value === undefined) continue;
    // What is read of such an input is a handle, or several.
    const handles = (Array.isArray(value) ? value : [value]) as unknown as SourceHandle[];
    const opened: Opened[] = [];
    for (const handle of handles) {
      const first = await openSource(prepared.sources ?? {}, handle, input.spec);
      const one = research && input === prepared.legwork && !isProblem(first) ? await research(first) : first;
      if (isProblem(one)) return { reason: remark("sourceUnread", { input: input.name, problem: one.problem }), mayPass: one.mayPass };
      opened.push(one);
      seen.push(seenOf(input, handle, one));
      notes.push(...one.notes.map((text) => remark("about", { name: input.name, remark: remark("told", { text }) })));
      shownPictures.push(...one.pictures.map((picture) => ({ input: input.name, picture })));
    }
    const text = opened
      .map((one, index) => (opened.length > 1 && one.pages.length > 0 ? `[${input.name} ${index + 1}]\n${shownText(one)}` : shownText(one)))
      .filter((one) => one !== "")
      .join("\n\n");
    const fitted = fitting(prepared, input, text);
    if ("reason" in fitted) return fitted;
    if (fitted.note) notes.push(remark("about", { name: input.name, remark: fitted.note }));
    const own = shownPictures.filter((one) => one.input === input.name).length;
    shown[input.name] = [...(own > 0 ? [pictureWords(own)] : []), ...(fitted.text === "" ? [] : [fitted.text])].join("\n\n") || null;
    quoted[input.name] = opened
      .flatMap(({ pages }) => pages)
      .map(({ text: page, page: number, address }) => ({
        page: number ?? null,
        text: page,
        ...(address === undefined ? {} : { address }),
      }));
  }
  const images = shownPictures.map(({ picture }) => imagePart(picture, model));
  return {
    prepared: { ...prepared, quotedIn: () => quoted, render: (given) => withImages(prepared.render(given), shownPictures, images) },
    inputs: shown,
    seen,
    notes,
  };
}

const pictureWords = (count: number): string => (count === 1 ? "(a picture, shown below)" : `(${count} pictures, shown below)`);

function seenOf(
  { name }: NamedShape,
  { hash, type, bytes }: SourceHandle,
  { address, title, fetchedAt, pictures, steps, pages }: Opened,
): SeenSource {
  return {
    input: name,
    hash,
    type,
    bytes,
    ...(address === undefined ? {} : { address }),
    ...(title === undefined ? {} : { title }),
    ...(fetchedAt === undefined ? {} : { fetchedAt }),
    ...(steps === undefined ? {} : { steps, found: pages.flatMap(({ address: own }) => own ?? []) }),
    ...(pictures.length > 0
      ? { pictures: pictures.map((one) => ({ hash: one.hash, bytes: one.bytes, width: one.width, height: one.height })) }
      : {}),
  };
}

/** A text within its limit, as the template's `whenLong` says. */
function fitting(
  { template }: Prepared,
  { name, spec }: NamedShape,
  text: string,
): { readonly text: string; readonly note?: Remark } | { readonly reason: Remark } {
  const { maxChars } = spec as { maxChars?: number };
  const chars = maxChars === undefined || text.length <= maxChars ? 0 : countChars(text);
  if (maxChars === undefined || chars <= maxChars) return { text };
  const way = template.whenLong?.[name] ?? "decline";
  if (way === "decline") return { reason: remark("inputLong", { input: name, chars, most: maxChars }) };
  if (way === "condense") return { text }; // by a model, before the question
  return way === "cut" ? cutAtSentence(text, maxChars) : keepEnds(text, maxChars);
}

const imagePart = ({ type, data, width, height, bytes, hash }: Picture, model: Pick<Model, "pictures">): ImagePart => ({
  kind: "picture",
  type,
  data,
  width,
  height,
  bytes,
  hash,
  tokens: pictureTokens(model.pictures, width, height),
});

/** The last turn, which asks, with its pictures behind the words, each under its name. */
function withImages(
  messages: Message[],
  pictures: readonly { readonly input: string; readonly picture: Picture }[],
  images: readonly ImagePart[],
): Message[] {
  const last = messages.at(-1);
  if (!last || images.length === 0) return messages;
  const named = images.flatMap((image, index) => {
    const { input, picture } = pictures[index]!;
    const own = pictures.filter((one) => one.input === input);
    const which = own.length > 1 ? ` ${own.indexOf(pictures[index]!) + 1} of ${own.length}` : "";
    const { parts } = textMessage("user", `${input}${which}${picture.page === undefined ? "" : `, page ${picture.page}`}:`);
    return [...parts, image];
  });
  return [...messages.slice(0, -1), { ...last, parts: [...last.parts, ...named] }];
}
