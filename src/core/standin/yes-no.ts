import { described, likenessIn } from "./described.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { gladness, gravity, isFaulty, isIdle, settledIn } from "./tone.js";
import type { WordSense } from "./word-sense.js";
import { alarmOf, stems, type Term } from "./words.js";

export const WANTED =
  /\b(please|need(s|ed)?|must|should|can (someone|somebody|you|we)|could (someone|somebody)|request(ed|ing)?|require[sd]?|urgent(ly)?|asap|to be (replaced|repaired|checked|fixed|inspected|ordered)|still (broken|leaking|loose|missing|out)|not (yet )?(fixed|repaired|replaced|working)|won't|out of (order|service)|awaiting|pending|follow[- ]?up|investigate|order(ed)? (a )?new|unserviceable|defect(ive)?)\b/gi;

const DONE =
  /\b(all (ok|good|fine|clear|normal)|no (further )?(action|issues?|damage|injur(y|ies))|(?<!\b(?:be|not|been|get) )(?:fixed|repaired|replaced|resolved|cleaned up|sorted)|working again|made safe|completed|dealt with|nothing (further|to report|more))\b/gi;

/** What a question says of its yes and its no: `yes: it is broken; no: a question`, `true (act) or false (leave)`. */
function meaningsOf(about: string): { readonly yes: string; readonly no: string } {
  const [, yesWord = "", noWord = ""] = /true \((.*?)\) or false \((.*?)\)/i.exec(about) ?? [];
  const told = about.replace(/true \(.*?\) or false \(.*?\)/gi, " ");
  const part = (word: string): string =>
    new RegExp(`\\b${word}\\b(?: (?:if|when|where|means))?:?\\s*([^;.]+)`, "i").exec(told)?.[1]?.trim() ?? "";
  const own = (word: string): string => (/^(yes|no)$/i.test(word) ? "" : word);
  return {
    yes: [/\b(yes|true)\b *(:|if|when|where|means)/i.test(told) ? part("(?:yes|true)") : "", own(yesWord)].filter(Boolean).join(", "),
    no: [/\b(no|false)\b *(:|if|when|where|means)/i.test(told) ? part("(?:no|false)") : "", own(noWord)].filter(Boolean).join(", "),
  };
}

export function yesNo(part: AskedPart, request: ReadRequest, words: readonly Term[]): boolean {
  const { data: text, sense } = request;
  const { yes, no } = meaningsOf(part.about);
  const question = part.about.replace(/true \(.*?\) or false \(.*?\)/gi, " ").replace(/\b(yes|no)\s*:[^;.]*[;.]?/gi, " ");
  const isOfActing = /\b(act|action|follow|followup|fix|repair|respond|reply|do something|attention|come|visit)\b/i.test(
    `${part.name.replace(/([A-Z])/g, " $1")} ${question}`,
  );
  const wanted = [...text.matchAll(WANTED)].length;
  const settled = [...text.matchAll(DONE)].length + settledIn(text);
  if (yes === "" && no === "") {
    if (isOfActing) return wanted > settled || (wanted === settled && alarmOf(text) > 0.6);
    return overlap(words, stems(question), sense) >= 0.34;
  }
  // Described: the side that the text speaks of more, and whose tone it has.
  const [forYes, forNo] = [described(yes || question, text, words, request), no === "" ? 0.15 : described(no, text, words, request)];
  const tone = (of: (about: string, by: WordSense | undefined) => number): number => {
    const span = of(yes || question, sense) - of(no, sense);
    const middle = (of(yes || question, sense) + of(no, sense)) / 2;
    return Math.abs(span) < 0.2 ? 0 : Math.sign(span) * (of(text, sense) - middle);
  };
  // Faults speak for a yes that is about what is broken.
  const isOfFaults = /\b(broken|repair\w*|fault\w*|mend\w*|not work\w*|does not|fix\w*|defect\w*)\b/i.test(yes);
  const faulty = isOfFaults ? (isFaulty(text) ? 0.35 : -0.1) : 0;
  const done =
    (isOfActing ? 0.5 * (Math.min(2, wanted) * 0.5 - settled) : 0) + faulty - (isIdle(text) && /\bquestion\b/i.test(no) ? 0.4 : 0);
  return forYes - forNo + 0.7 * tone(gladness) + 0.7 * tone(gravity) + done > 0;
}

/** Share of a question's words that a text speaks of without negating them. */
function overlap(words: readonly Term[], asked: ReadonlySet<string>, sense: WordSense | undefined): number {
  if (asked.size === 0) return 0;
  const said = words.filter((word) => !word.negated);
  let hits = 0;
  for (const stem of asked) hits += Math.max(0, ...said.map((word) => likenessIn(word.stem, stem, sense)));
  return hits / asked.size;
}
