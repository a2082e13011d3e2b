import { createHash, randomBytes, timingSafeEqual } from "node:crypto";

const IDLE_MS = 12 * 60 * 60 * 1000;
const LINK_MS = 10 * 60 * 1000;
const MOST_SESSIONS = 200;

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

/** People who opened the server's link. They live as long as the server: after that a new link is printed. */
export class Sessions {
  readonly #sessions = new Map<string, Session>();
  #links: Link[] = [];

  constructor(readonly now: () => number) {}

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
    this.#sessions.set(id, { person: found.person, lastSeen: this.now() });
    return { id, person: found.person };
  }

  personOf(id: string): string | undefined {
    const session = this.#sessions.get(id);
    if (!session) return undefined;
    if (this.now() - session.lastSeen > IDLE_MS) {
      this.#sessions.delete(id);
      return undefined;
    }
    session.lastSeen = this.now();
    return session.person;
  }
}
