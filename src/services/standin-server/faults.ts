import { seededChance, type ModelReply } from "../../core/index.js";

/** What can be made to go wrong, and what it stands for. */
export const FAULTS = {
  busy: "HTTP 429 with Retry-After in seconds",
  busyDate: "HTTP 429 with Retry-After as an HTTP date",
  quota: "HTTP 429 that says the quota is spent",
  server: "HTTP 500",
  unauthorised: "HTTP 401, as for a wrong key",
  rejected: "HTTP 400",
  noSchema: "HTTP 400 for every request that sends a JSON Schema",
  noLogProbabilities: "HTTP 400 for every request that wants log probabilities",
  reset: "the connection breaks off without a reply",
  hang: "no reply ever comes",
  slowBody: "headers at once, the body never",
  html: "HTTP 200 with a web page",
  errorInside: "HTTP 200 with an error inside",
  noUsage: "the reply does not say what it used",
  fenced: "the JSON stands in a code fence",
  prose: "the JSON stands between other words",
  broken: "the JSON has small mistakes of syntax",
  garbage: "there is no JSON at all",
  shouted: "choices come in capitals with a full stop",
  wrongOption: "a choice is none of the options",
  missingPart: "the last part is left out",
  refusal: "the model refuses",
  filtered: "the host's content filter holds the reply back",
  cut: "the reply ends in the middle",
} as const;

/** What can be made to go wrong; see `FAULTS`. */
export type Fault = keyof typeof FAULTS;
/** Fault -> the share of requests that go wrong so. */
export type FaultShares = Partial<Record<Fault, number>>;

/** Shares are told apart to a millionth. */
const FINENESS = 1_000_000;

/** Picks for each request at most one fault, each with its share of all requests. */
export function faultPicker(shares: FaultShares, seed: number): () => Fault | undefined {
  const chance = seededChance(seed);
  const entries = Object.entries(shares) as [Fault, number][];
  return () => {
    let draw = chance.whole(FINENESS) / FINENESS;
    for (const [fault, share] of entries) {
      if (draw < share) return fault;
      draw -= share;
    }
    return undefined;
  };
}

/** What a fault does to the words of a reply. */
export function spoil(reply: ModelReply, fault: Fault | undefined): ModelReply {
  switch (fault) {
    case "fenced":
      return { ...reply, text: `\`\`\`json\n${reply.text}\n\`\`\`` };
    case "prose":
      return { ...reply, text: `Sure! Here is the answer:\n${reply.text}\nLet me know if you need anything else.` };
    case "broken":
      return { ...reply, text: `${reply.text.slice(0, -1).replace(/^\{"(\w+)":/, "{$1:")},}` };
    case "garbage":
      return { ...reply, text: "I have looked at this carefully and will come back to you." };
    case "shouted":
      return {
        ...reply,
        text: mapMembers(reply.text, (value) => (typeof value === "string" && !value.includes(" ") ? `${value.toUpperCase()}.` : value)),
      };
    case "wrongOption":
      return {
        ...reply,
        text: mapMembers(reply.text, (value) => (typeof value === "string" && !value.includes(" ") ? "something-else-entirely" : value)),
      };
    case "missingPart":
      return { ...reply, text: mapMembers(reply.text, (value, index, count) => (index === count - 1 ? undefined : value)) };
    case "refusal":
      return { ...reply, text: "", finish: "refused", refusal: "I cannot help with that." };
    case "filtered":
      return { ...reply, text: "", finish: "filtered" };
    case "cut":
      return { ...reply, text: reply.text.slice(0, Math.ceil(reply.text.length / 2)), finish: "length" };
    default:
      return reply;
  }
}

function mapMembers(text: string, change: (value: unknown, index: number, count: number) => unknown): string {
  const members = Object.entries(JSON.parse(text) as Record<string, unknown>);
  return JSON.stringify(Object.fromEntries(members.map(([name, value], index) => [name, change(value, index, members.length)])));
}
