import { createHash } from "node:crypto";
import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import {
  isProblem,
  type CancelSignal,
  type Clock,
  type FindOptions,
  type Opened,
  type Pages,
  type SourceHandle,
  type SourceProblem,
} from "../../core/index.js";
import { fetchAddress, FILE_LIMITS, PAGE_LIMITS, type Fetched, type FetchLimits, type WebSend } from "./fetch-address.js";
import { manners } from "./manners.js";

/** What is kept of an address that was fetched. */
export interface KeptAddress {
  /** When it was last found to be so, in milliseconds since 1970. */
  readonly at: number;
  readonly hash: string;
  readonly type: string;
  readonly bytes: number;
  readonly etag?: string | undefined;
  readonly lastModified?: string | undefined;
  /** Why there is nothing, where that is so. */
  readonly problem?: string | undefined;
}

/** What was fetched, kept by whoever calls. */
export interface WebKept {
  address(of: string): Promise<KeptAddress | undefined>;
  keepAddress(of: string, kept: KeptAddress): Promise<void>;
  /** The text of a page as it was once, by its hash. */
  page(hash: string): Promise<Opened | undefined>;
  keepPage(hash: string, page: Opened): Promise<void>;
  /** Takes an address to fetch, over processes; gives the way to let go of it, and nothing while another has it. */
  alone(of: string): Promise<(() => Promise<void>) | undefined>;
}

export interface WebOptions {
  readonly send: WebSend;
  readonly clock: Clock;
  readonly kept: WebKept;
  /** The folder for bytes. */
  readonly keptFolder: string;
  /** Takes the main text out of a page's bytes, which lie in a file. */
  readonly extract: (
    file: string,
    handle: SourceHandle,
    page: { readonly address: string; readonly charset?: string | undefined },
  ) => Promise<Opened | SourceProblem>;
  /** The type of a file by its bytes. */
  readonly typeOf: (bytes: Uint8Array, name: string) => { readonly type: string } | SourceProblem;
  /** Between two requests to one host. Default 1,000. */
  readonly pauseMs?: number | undefined;
}

const DAY_MS = 86_400_000;
/** What could not be had is not asked for again for a while. */
const PROBLEM_MS = 3_600_000;
const DEFAULT_PAUSE_MS = 1_000;
/** How long it takes until it is looked again whether another process has fetched a page. */
const OTHER_FETCHES_MS = 100;
const DEFAULT_FILE_AGE_DAYS = 30;

/** Pages and files of the web: each fetched once while it is young enough, over rows, runs and crashes. */
export interface Web extends Pages {
  /** A file at an address, with the place where its bytes lie. */
  file(
    address: string,
    options: FindOptions,
  ): Promise<{ readonly place: string; readonly handle: SourceHandle } | SourceProblem | undefined>;
  /** The text at an address as it came: what an engine answers. */
  text(
    address: string,
    options: FindOptions & { readonly maxAgeDays: number },
  ): Promise<{ readonly text: string; readonly type: string } | SourceProblem | undefined>;
}

export function web({ send, clock, kept, keptFolder, extract, typeOf, pauseMs = DEFAULT_PAUSE_MS }: WebOptions): Web {
  const { before } = manners(send, clock, pauseMs);
  /** What is being fetched is waited for by all who want it. */
  const under = new Map<string, Promise<SourceHandle | SourceProblem>>();

  const keepBytes = async (bytes: Uint8Array): Promise<{ hash: string; place: string }> => {
    const hash = createHash("sha256").update(bytes).digest("hex");
    const place = path.join(keptFolder, hash);
    await mkdir(keptFolder, { recursive: true });
    await writeFile(place, bytes, { flag: "wx" }).catch((error: unknown) => {
      if ((error as { code?: string }).code !== "EEXIST") throw error;
    });
    return { hash, place };
  };

  /** Fetches anew, unless the host says that nothing has changed; keeps what came, problems included. */
  const renew = async (
    name: string,
    address: string,
    limits: FetchLimits,
    was: KeptAddress | undefined,
    signal: CancelSignal | undefined,
    make: (fetched: Fetched) => Promise<SourceHandle | SourceProblem>,
  ): Promise<SourceHandle | SourceProblem> => {
    const headers =
      was?.problem === undefined
        ? { ...(was?.etag ? { "if-none-match": was.etag } : {}), ...(was?.lastModified ? { "if-modified-since": was.lastModified } : {}) }
        : {};
    const fetched = await fetchAddress(address, { send, limits, before, signal, headers });
    if (!isProblem(fetched) && fetched.status === 304 && was) {
      await kept.keepAddress(name, { ...was, at: clock.now() });
      return was;
    }
    const made = isProblem(fetched) ? fetched : await make(fetched);
    if (isProblem(made)) {
      if (signal?.aborted !== true) await kept.keepAddress(name, { at: clock.now(), hash: "", type: "", bytes: 0, problem: made.problem });
      return made;
    }
    const { etag, lastModified } = fetched as Fetched;
    await kept.keepAddress(name, { ...made, at: clock.now(), etag, lastModified });
    return made;
  };

  const known = async (
    name: string,
    address: string,
    maxAgeMs: number,
    limits: FetchLimits,
    { mayFetch, signal }: FindOptions,
    make: (fetched: Fetched) => Promise<SourceHandle | SourceProblem>,
  ): Promise<SourceHandle | SourceProblem | undefined> => {
    const was = await kept.address(name);
    const isYoung = (one: KeptAddress): boolean => clock.now() - one.at < (one.problem === undefined ? maxAgeMs : PROBLEM_MS);
    const handle = (one: KeptAddress): SourceHandle | SourceProblem =>
      one.problem === undefined ? { hash: one.hash, type: one.type, bytes: one.bytes } : { problem: one.problem, mayPass: true };
    if (was && isYoung(was)) return handle(was);
    // What is too old still is what was seen, as long as nobody fetches.
    if (!mayFetch) return was ? handle(was) : undefined;
    let fetching = under.get(name);
    if (!fetching) {
      const fetchAlone = async (): Promise<SourceHandle | SourceProblem> => {
        for (;;) {
          const letGo = await kept.alone(name);
          try {
            // Another process may have fetched it in the meantime.
            const now = await kept.address(name);
            if (now && isYoung(now)) return handle(now);
            if (letGo) return await renew(name, address, limits, was, signal, make);
          } finally {
            await letGo?.();
          }
          if (signal?.aborted) return { problem: "was not waited for", mayPass: true };
          await clock.sleep(OTHER_FETCHES_MS);
        }
      };
      fetching = fetchAlone().finally(() => under.delete(name));
      under.set(name, fetching);
    }
    const got = await fetching;
    return isProblem(got) ? got : { hash: got.hash, type: got.type, bytes: got.bytes };
  };

  return {
    find: async (given, options) => {
      const address = /^[a-z][a-z0-9+.-]*:/i.test(given) ? given : `https://${given}`;
      if (!/^https?:\/\//i.test(address) || !URL.canParse(address))
        return { problem: "is no address of a page, which begins with http:// or https://" };
      const { href } = withoutFragment(address);
      return known(`page:${href}`, href, options.maxAgeDays * DAY_MS, PAGE_LIMITS, options, async (fetched) => {
        const looks = typeOf(fetched.bytes, new URL(fetched.address).pathname);
        if (isProblem(looks)) return { problem: `gives what ${looks.problem}` };
        if (looks.type !== "text/html" && looks.type !== "text/plain" && looks.type !== "text/markdown")
          return { problem: `gives a file (${looks.type}) and no page; make the input a \`document\` or an \`image\`` };
        const { hash, place } = await keepBytes(fetched.bytes);
        const type = fetched.type === "text/html" || looks.type === "text/html" ? "text/html" : "text/plain";
        const page = await extract(place, { hash, type, bytes: fetched.bytes.length }, fetched);
        if (isProblem(page)) return page;
        const told: Opened = { ...page, address: fetched.address, fetchedAt: new Date(clock.now()).toISOString() };
        // The same words are the same page, whatever changed around them.
        const words = createHash("sha256")
          .update(JSON.stringify([told.title, told.pages]))
          .digest("hex");
        await kept.keepPage(words, told);
        return { hash: words, type, bytes: fetched.bytes.length };
      });
    },
    text: async (address, options) => {
      if (!URL.canParse(address)) return { problem: "has no address" };
      const { href } = withoutFragment(address);
      const found = await known(`text:${href}`, href, options.maxAgeDays * DAY_MS, PAGE_LIMITS, options, async (fetched) => {
        const { hash } = await keepBytes(fetched.bytes);
        return { hash, type: fetched.type, bytes: fetched.bytes.length };
      });
      if (found === undefined || isProblem(found)) return found;
      return { type: found.type, text: await readFile(path.join(keptFolder, found.hash), "utf8") };
    },
    open: async ({ hash }) => (await kept.page(hash)) ?? { problem: "is not kept any more", mayPass: true },
    file: async (address, options) => {
      if (!URL.canParse(address)) return { problem: "is no address of the web" };
      const { href } = withoutFragment(address);
      const name = `file:${href}`;
      const found = await known(name, href, DEFAULT_FILE_AGE_DAYS * DAY_MS, FILE_LIMITS, options, async (fetched) => {
        const { pathname } = new URL(fetched.address);
        const looks = typeOf(fetched.bytes, pathname);
        if (isProblem(looks)) return looks;
        if (looks.type === "text/html" && /\.(pdf|docx|odt|png|jpe?g|webp|gif)$/i.test(new URL(href).pathname))
          return { problem: "gives a page of HTML where a file was named; perhaps one has to sign in there" };
        const { hash } = await keepBytes(fetched.bytes);
        return { hash, type: looks.type, bytes: fetched.bytes.length };
      });
      return found === undefined || isProblem(found) ? found : { place: path.join(keptFolder, found.hash), handle: found };
    },
  };
}

function withoutFragment(address: string): URL {
  const url = new URL(address);
  url.hash = "";
  return url;
}
