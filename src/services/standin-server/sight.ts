import { createRequire } from "node:module";
import path from "node:path";
import { textMessage, type Message } from "../../core/index.js";

/** A message as it came: words, or words and pictures. */
export interface SeenMessage {
  readonly role: Message["role"];
  readonly content: string | readonly SeenPart[];
}

export type SeenPart =
  { readonly type: "text"; readonly text: string } | { readonly type: "image_url"; readonly image_url: { readonly url: string } };

/** Reads the characters of pictures. */
export interface Sight {
  /** Messages in words alone, what stands in their pictures in its place; `undefined` where it cannot see. */
  read(messages: readonly SeenMessage[]): Promise<Message[] | undefined>;
  close(): Promise<void>;
}

interface Recogniser {
  recognize(image: Buffer): Promise<{ data: { text: string } }>;
  terminate(): Promise<unknown>;
}

/** Character recognition by a package that not everybody has; without it pictures cannot be seen. */
export function sight(): Sight {
  let opening: Promise<Recogniser | undefined> | undefined;
  const open = async (): Promise<Recogniser | undefined> => {
    try {
      const { createWorker } = await import("tesseract.js");
      const data = path.dirname(createRequire(import.meta.url).resolve("@tesseract.js-data/eng/package.json"));
      return await createWorker("eng", 1, { langPath: path.join(data, "4.0.0_best_int"), cacheMethod: "none" });
    } catch {
      return undefined;
    }
  };
  return {
    read: async (messages) => {
      const read: Message[] = [];
      for (const { role, content } of messages) {
        if (typeof content === "string") {
          read.push(textMessage(role, content));
          continue;
        }
        const recogniser = content.some(({ type }) => type === "image_url") ? await (opening ??= open()) : undefined;
        if (!recogniser && content.some(({ type }) => type === "image_url")) return undefined;
        read.push(textMessage(role, await inWords(content, recogniser)));
      }
      return read;
    },
    close: async () => void (await (await opening)?.terminate()),
  };
}

/** The words of a message; what is read of a picture takes the place at which the prompt says that there is one. */
async function inWords(content: readonly SeenPart[], recogniser: Recogniser | undefined): Promise<string> {
  const texts = content.flatMap((part) => (part.type === "text" ? [part.text] : []));
  const [first = "", ...names] = texts;
  let words = first;
  const found = new Map<string, string[]>();
  let name = "";
  for (const part of content.slice(1)) {
    if (part.type === "text") name = /^([\p{L}_][\p{L}\p{N}_]*)/u.exec(part.text)?.[1] ?? "";
    else found.set(name, [...(found.get(name) ?? []), await textIn(part.image_url.url, recogniser)]);
  }
  if (found.size === 0) return texts.join("\n");
  for (const [input, pieces] of found) {
    const place = new RegExp(`(<data-[a-z]+ name="${input}">\\s*)\\((?:a picture|\\d+ pictures), shown below\\)`);
    words = words.replace(place, (_, fence: string) => `${fence}${pieces.join("\n\n")}`);
  }
  return [words, ...names.filter((one) => !one.endsWith(":"))].join("\n");
}

async function textIn(url: string, recogniser: Recogniser | undefined): Promise<string> {
  const base64 = /^data:[^,]*;base64,(.*)$/s.exec(url)?.[1];
  if (base64 === undefined || !recogniser) return "";
  const { data } = await recogniser.recognize(Buffer.from(base64, "base64"));
  return data.text.trim();
}
