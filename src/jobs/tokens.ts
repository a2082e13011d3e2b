import { createHash, randomBytes, timingSafeEqual } from "node:crypto";
import * as z from "zod";
import { dayOf, YoroshiError, type Json } from "../core/index.js";
import type { Project } from "../project/index.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

/** What a token may do: ask templates; read all; work as a person would, but for yoroshi.yaml. Each takes in those before it. */
export const RIGHTS = ["answer", "read", "work"] as const;
export type Right = (typeof RIGHTS)[number];

const right = z.enum(RIGHTS);
const DAY_MS = 86_400_000;
const DEFAULT_DAYS = 90;
const DEFAULT_PER_DAY = 500;

const shown = z.object({
  id: z.string(),
  /** What it is for, and whose it is. */
  name: z.string(),
  person: z.string(),
  right,
  /** The one template that it may ask; all where there is none. */
  template: z.string().optional(),
  /** Questions that it may have asked of a model in one day (UTC). */
  perDay: z.int().min(0),
  askedToday: count,
  madeAt: z.iso.datetime(),
  until: z.iso.datetime(),
  /** Whether it still works. */
  works: z.boolean(),
});

export type TokenShown = z.output<typeof shown>;

/** A token as the ledger keeps it: never itself, only its hash. */
interface KeptToken {
  readonly hash: string;
  readonly name: string;
  readonly person: string;
  readonly right: Right;
  readonly template?: string;
  readonly perDay: number;
  readonly madeAt: number;
  readonly until: number;
  readonly ended?: true;
}

/** Whoever comes with a token. */
export interface TokenBearer {
  readonly id: string;
  readonly name: string;
  readonly person: string;
  readonly right: Right;
  readonly template: string | undefined;
  readonly perDay: number;
}

const factOf = (id: string): string => `token:${id}`;
const usedFact = (id: string, day: number): string => `token-used:${id}:${day}`;
const hashOf = (secret: string): string => createHash("sha256").update(secret).digest("hex");

/** A token by which a program uses the server. It is shown this once. */
export const makeToken = defineJob({
  name: "makeToken",
  summary: "Makes a token by which a program uses the server, with a right, an end and a cap for each day. It is shown this once.",
  input: z.strictObject({
    name: z.string().min(1).max(80),
    /** Whose it is; kept beside what is done with it. */
    person: z.string().min(1).max(80),
    /** Default `answer`. */
    right: right.optional(),
    /** Only this template. */
    template: z.string().optional(),
    /** Default 500. */
    perDay: z.int().min(0).optional(),
    /** How many days it works. Default 90. */
    days: z.int().min(1).max(3_660).optional(),
  }),
  report: z.object({ token: z.string(), ...shown.shape }),
  async run(project, { name, person, right: may = "answer", template, perDay = DEFAULT_PER_DAY, days = DEFAULT_DAYS }) {
    if (template !== undefined) await project.template(template);
    if (template !== undefined && may !== "answer")
      throw new YoroshiError("badOption", { option: "template", problem: "a token for one template may do nothing but `answer`." });
    const id = randomBytes(6).toString("hex");
    const secret = randomBytes(24).toString("base64url");
    const now = project.clock.now();
    const kept: KeptToken = {
      hash: hashOf(secret),
      name,
      person,
      right: may,
      ...(template === undefined ? {} : { template }),
      perDay,
      madeAt: now,
      until: now + days * DAY_MS,
    };
    // What is kept is plain JSON; its type has no index.
    await project.ledger().facts.set(factOf(id), kept as unknown as Json);
    return { token: `yoroshi_${id}_${secret}`, ...(await tokenShown(project, id, kept)) };
  },
});

/** Every token, without itself. */
export const listTokens = defineJob({
  name: "listTokens",
  summary: "Lists the tokens of programs, with their rights, their ends and what they asked today. Never a token itself.",
  input: z.strictObject({}),
  report: z.object({ tokens: z.array(shown) }),
  async run(project) {
    const kept = await project.ledger().facts.find("token:");
    const tokens = await Promise.all([...kept].map(([fact, one]) => tokenShown(project, fact.slice("token:".length), asKept(one))));
    return { tokens: tokens.sort((a, b) => (a.madeAt < b.madeAt ? 1 : -1)) };
  },
});

/** A token that works no longer. */
export const endToken = defineJob({
  name: "endToken",
  summary: "Ends a token at once.",
  input: z.strictObject({ id: z.string() }),
  report: shown,
  async run(project, { id }) {
    const { facts } = project.ledger();
    const found = await facts.get(factOf(id));
    if (!found) {
      const known = [...(await facts.find("token:")).keys()].map((fact) => fact.slice("token:".length));
      throw new YoroshiError("notFound", { what: "token", name: id, known });
    }
    const ended: KeptToken = { ...asKept(found), ended: true };
    // As above.
    await facts.set(factOf(id), ended as unknown as Json);
    known.delete(project);
    return tokenShown(project, id, ended);
  },
});

// Nobody but `makeToken` and `endToken` writes these facts.
const asKept = (fact: Json): KeptToken => fact as unknown as KeptToken;

async function tokenShown(project: Project, id: string, kept: KeptToken): Promise<TokenShown> {
  const { hash: _, ended, madeAt, until, ...token } = kept;
  const now = project.clock.now();
  return {
    id,
    ...token,
    askedToday: Number((await project.ledger().facts.get(usedFact(id, dayOf(now)))) ?? 0),
    madeAt: new Date(madeAt).toISOString(),
    until: new Date(until).toISOString(),
    works: !ended && until > now,
  };
}

/** Tokens that were looked up, as long as nobody has changed one. */
interface KnownTokens {
  mark: string;
  readonly bearers: Map<string, { readonly bearer: TokenBearer; readonly until: number }>;
}

const MOST_KNOWN = 1_000;
const known = new WeakMap<Project, KnownTokens>();

/** Whose token this is; `undefined` for one that is not known, or works no longer. */
export async function bearerOf(project: Project, token: string): Promise<TokenBearer | undefined> {
  // Another process may have ended it.
  const mark = await project.ledger().mark();
  let tokens = known.get(project);
  if (tokens?.mark !== mark) known.set(project, (tokens = { mark, bearers: new Map() }));
  const found = tokens.bearers.get(token);
  if (found) return found.until > project.clock.now() ? found.bearer : undefined;
  const [, id, secret] = /^yoroshi_([0-9a-f]{12})_([\w-]{32})$/.exec(token) ?? [];
  if (id === undefined || secret === undefined) return undefined;
  const fact = await project.ledger().facts.get(factOf(id));
  if (!fact) return undefined;
  const { hash, ended, until, name, person, right: may, template, perDay } = asKept(fact);
  if (ended || until <= project.clock.now() || !timingSafeEqual(Buffer.from(hash), Buffer.from(hashOf(secret)))) return undefined;
  const bearer = { id, name, person, right: may, template, perDay };
  if (tokens.bearers.size >= MOST_KNOWN) tokens.bearers.clear();
  tokens.bearers.set(token, { bearer, until });
  return bearer;
}

/** Questions of one day that this process may have asked with a token, taken from its cap beforehand. */
interface Taken {
  readonly day: number;
  left: number;
  /** Taking more, one at a time. */
  taking: Promise<void>;
}

/** So many are taken at once: fewer writes, and at most so many lost to a process that dies. */
const TAKEN_AT_ONCE = 50;
const taken = new WeakMap<Project, Map<string, Taken>>();

/** Counts a question against a token's cap for the day, over all processes. @throws YoroshiError `dayCapReached`. */
export async function countAsked(project: Project, bearer: TokenBearer): Promise<void> {
  const all = taken.get(project) ?? new Map<string, Taken>();
  taken.set(project, all);
  const day = dayOf(project.clock.now());
  let own = all.get(bearer.id);
  if (own?.day !== day) all.set(bearer.id, (own = { day, left: 0, taking: Promise.resolve() }));
  const mine = own;
  while (mine.left === 0) await (mine.taking = mine.taking.then(() => takeMore(project, bearer, mine)));
  mine.left--;
}

async function takeMore(project: Project, { id, name, perDay }: TokenBearer, own: Taken): Promise<void> {
  if (own.left > 0) return;
  const { facts } = project.ledger();
  const fact = usedFact(id, own.day);
  for (;;) {
    const used = await facts.get(fact);
    const wanted = Math.min(TAKEN_AT_ONCE, perDay - Number(used ?? 0));
    if (wanted <= 0) throw new YoroshiError("dayCapReached", { token: name, cap: perDay });
    if (!(await facts.swap(fact, used, Number(used ?? 0) + wanted))) continue;
    own.left += wanted;
    return;
  }
}

/** Gives back what of tokens' caps was taken and not used; before a project is closed. */
export async function giveBackAsked(project: Project): Promise<void> {
  for (const [id, own] of taken.get(project) ?? []) {
    if (own.left === 0) continue;
    const { facts } = project.ledger();
    const fact = usedFact(id, own.day);
    for (let used = await facts.get(fact); ; used = await facts.get(fact))
      if (await facts.swap(fact, used, Math.max(0, Number(used ?? 0) - own.left))) break;
    own.left = 0;
  }
}
