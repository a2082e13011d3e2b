/** About so many characters are one passage: paragraphs are put together, and long ones cut at a line. */
const PASSAGE_CHARS = 700;

/**
 * Chooses, of several texts, the passages that have most to do with what is asked (BM25 by a full-text library), until there are so many
 * characters of all; they stay in their order, gaps are marked.
 *
 * @returns for each text what is left of it; blank where nothing is.
 */
export async function choosePassages(texts: readonly string[], about: string, maxChars: number): Promise<string[]> {
  const passages = texts.flatMap((text, of) => passagesOf(text).map((words, place) => ({ of, place, words })));
  const all = passages.reduce((sum, { words }) => sum + words.length, 0);
  if (all <= maxChars) return texts.map((text) => text.trim());
  const { default: MiniSearch } = await import("minisearch");
  const index = new MiniSearch({ fields: ["words"] });
  index.addAll(passages.map(({ words }, id) => ({ id, words })));
  const ranked = index.search(about, { combineWith: "OR", prefix: (term) => term.length > 4 }).map(({ id }) => id as number);
  // What has no word in common comes last, in its order.
  const rest = passages.map((_, id) => id).filter((id) => !ranked.includes(id));
  const kept = new Set<number>();
  let room = maxChars;
  for (const id of [...ranked, ...rest]) {
    const { words } = passages[id]!;
    if (words.length > room) continue;
    kept.add(id);
    room -= words.length;
  }
  return texts.map((_, of) => {
    let text = "";
    let last = -1;
    for (const [id, { of: own, place, words }] of passages.entries()) {
      if (own !== of || !kept.has(id)) continue;
      text += `${text === "" ? (place > 0 ? "…\n" : "") : place === last + 1 ? "\n\n" : "\n…\n"}${words}`;
      last = place;
    }
    return text;
  });
}

function passagesOf(text: string): string[] {
  const passages: string[] = [];
  let passage = "";
  const end = (): void => {
    if (passage.trim() !== "") passages.push(passage.trim());
    passage = "";
  };
  for (const block of text.split(/\n{2,}/)) {
    if (passage !== "" && passage.length + block.length > PASSAGE_CHARS) end();
    if (block.length <= PASSAGE_CHARS) {
      passage = passage === "" ? block : `${passage}\n\n${block}`;
      continue;
    }
    for (const line of block.split(/\n|(?<=[.!?]) /)) {
      if (passage !== "" && passage.length + line.length > PASSAGE_CHARS) end();
      passage = passage === "" ? line : `${passage} ${line}`;
    }
  }
  end();
  return passages;
}
