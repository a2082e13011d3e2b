import { createHash, randomBytes, timingSafeEqual } from "node:crypto";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";

const IDLE_MS = 12 * 60 * 60 * 1000;
const LINK_MS = 10 * 60 * 1000;
const MOST_SESSIONS = 200;
/** When somebody was last seen is kept no more often than this. */
const KEEP_MS = 60_000;

interface Session {
  readonly person: string;
  lastSeen: number;
}

interface Link {
  readonly hash: Buffer;
  readonly person: string;
  readonly until: number;
}

const hashOf = (secret: string): Buffer => createHash("sha256").update(secret).digest();
const secret = (): string => randomBytes(32).toString("base64url");

/**
 * People who opened the server's link. Sessions are kept in a file, as hashes, so that a server that was ended and begun again knows the
 * pages that are still open; links are not: each is for this server's life, and works once.
 */
export class Sessions {
  /** The hash of a session's id -> whose it is. */
  readonly #sessions: Map<string, Session>;
  #links: Link[] = [];
  #keptAt = 0;

  /** @param file where sessions are kept; nowhere when left out. */
  constructor(
    readonly now: () => number,
    readonly file?: string,
  ) {
    this.#sessions = new Map(read(file).filter(([, { lastSeen }]) => now() - lastSeen <= IDLE_MS));
  }

  /** A token for a link that works once, within ten minutes. */
  link(person: string): string {
    const token = secret();
    this.#links.push({ hash: hashOf(token), person, until: this.now() + LINK_MS });
    return token;
  }

  /** Takes a link's token for a session; `undefined` where it is not known, or was used. */
  open(token: string): { readonly id: string; readonly person: string } | undefined {
    const hash = hashOf(token);
    const found = this.#links.find((link) => timingSafeEqual(link.hash, hash));
    this.#links = this.#links.filter((link) => link !== found && link.until > this.now());
    if (!found || found.until <= this.now()) return undefined;
    const id = secret();
    if (this.#sessions.size >= MOST_SESSIONS) this.#sessions.delete(this.#sessions.keys().next().value!);
    this.#sessions.set(hashOf(id).toString("hex"), { person: found.person, lastSeen: this.now() });
    this.#keep();
    return { id, person: found.person };
  }

  personOf(id: string): string | undefined {
    const name = hashOf(id).toString("hex");
    const session = this.#sessions.get(name);
    if (!session) return undefined;
    if (this.now() - session.lastSeen > IDLE_MS) {
      this.#sessions.delete(name);
      return undefined;
    }
    session.lastSeen = this.now();
    if (this.now() - this.#keptAt > KEEP_MS) this.#keep();
    return session.person;
  }

  #keep(): void {
    this.#keptAt = this.now();
    if (this.file === undefined) return;
    try {
      mkdirSync(path.dirname(this.file), { recursive: true });
      writeFileSync(this.file, JSON.stringify([...this.#sessions]), { mode: 0o600 });
    } catch {
      // A folder that cannot be written to: sessions live as long as the server.
    }
  }
}

/** What was kept; nothing where it is no such file, or cannot be read. */
function read(file: string | undefined): [string, Session][] {
  if (file === undefined) return [];
  try {
    const kept = JSON.parse(readFileSync(file, "utf8")) as unknown;
    if (!Array.isArray(kept)) return [];
    return kept.flatMap((one: unknown): [string, Session][] => {
      const [name, session] = (Array.isArray(one) ? one : []) as [unknown, Partial<Session> | undefined];
      return typeof name === "string" && typeof session?.person === "string" && typeof session.lastSeen === "number"
        ? [[name, { person: session.person, lastSeen: session.lastSeen }]]
        : [];
    });
  } catch {
    return [];
  }
}
