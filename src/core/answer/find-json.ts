export interface FoundJson {
  readonly value: unknown;
  /** What had to be done to read it: nothing, take it out of other text, or mend its syntax. */
  readonly how: "plain" | "fenced" | "surrounded" | "repaired";
}

const LONGEST_REPAIR = 200_000;

/**
 * Finds the JSON object in a model's reply: the whole reply, a code fence, or the first balanced object in prose;
 * at last with its syntax mended (missing quotes, trailing commas, comments). `undefined` where there is none.
 */
export async function findJson(reply: string): Promise<FoundJson | undefined> {
  const text = reply.trim().replace(/^\ufeff/, "");
  const plain = parse(text);
  if (isObject(plain)) return { value: plain, how: "plain" };
  const fenced = /```[a-z0-9]*[ \t]*\r?\n?([\s\S]*?)```/i.exec(text)?.[1]?.trim();
  if (fenced !== undefined) {
    const value = parse(fenced);
    if (isObject(value)) return { value, how: "fenced" };
  }
  for (const candidate of balancedObjects(text)) {
    const value = parse(candidate);
    if (isObject(value)) return { value, how: "surrounded" };
  }
  return repaired(fenced?.includes("{") ? fenced : text);
}

async function repaired(text: string): Promise<FoundJson | undefined> {
  const from = text.indexOf("{");
  if (from < 0 || text.length > LONGEST_REPAIR) return undefined;
  const to = text.lastIndexOf("}");
  // Loaded when it is needed: most replies are whole.
  const { jsonrepair } = await import("jsonrepair");
  try {
    const value: unknown = JSON.parse(jsonrepair(to > from ? text.slice(from, to + 1) : text.slice(from)));
    return isObject(value) ? { value, how: "repaired" } : undefined;
  } catch {
    return undefined;
  }
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function isObject(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === "object" && !Array.isArray(value);
}

/** Substrings from a `{` to the `}` that closes it, quotes respected; at most a few, largest outermost first. */
function* balancedObjects(text: string): Generator<string> {
  let from = text.indexOf("{");
  for (let tries = 0; from >= 0 && tries < 8; tries++) {
    const to = closingBrace(text, from);
    if (to < 0) return;
    yield text.slice(from, to + 1);
    from = text.indexOf("{", to + 1);
  }
}

function closingBrace(text: string, from: number): number {
  let depth = 0;
  let quoted = false;
  for (let i = from; i < text.length; i++) {
    const char = text.charCodeAt(i);
    if (quoted) {
      if (char === 92) i++;
      else if (char === 34) quoted = false;
    } else if (char === 34) quoted = true;
    else if (char === 123) depth++;
    else if (char === 125 && --depth === 0) return i;
  }
  return -1;
}
