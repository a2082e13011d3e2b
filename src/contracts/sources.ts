import {
  isProblem,
  type Files,
  type Hit,
  type Opened,
  type Pages,
  type Search,
  type SourceHandle,
  type SourceProblem,
} from "../core/index.js";
import { expectSame, expectThat, type ContractCase } from "./check.js";

const MAY = { mayFetch: true };
const DAYS = { maxAgeDays: 30 };

function checkHandle(found: SourceHandle | SourceProblem | undefined): SourceHandle {
  if (found === undefined || isProblem(found))
    throw new Error(`what is there is found: ${found?.problem ?? "it would have to be fetched"}`);
  expectThat("a handle's hash is SHA-256 in hexadecimal", /^[0-9a-f]{64}$/.test(found.hash));
  expectThat("a handle has a media type and a size", found.type.includes("/") && Number.isSafeInteger(found.bytes) && found.bytes >= 0);
  return found;
}

function checkOpened(opened: Opened | SourceProblem): void {
  if (isProblem(opened)) throw new Error(`what was found is opened: ${opened.problem}`);
  expectThat("what is opened has words or pictures", opened.pages.some(({ text }) => text.trim() !== "") || opened.pictures.length > 0);
  for (const { hash, width, height, data } of opened.pictures)
    expectThat("a picture has its hash, its size and its bytes", hash.length === 64 && width > 0 && height > 0 && data.length > 0);
}

/** A problem goes on from the name of what has it, and holds none of its words. */
function checkProblem(found: SourceHandle | SourceProblem | undefined, name: string): void {
  expectThat("what is not there is told, not thrown", found !== undefined && isProblem(found));
  const { problem } = found as SourceProblem;
  expectThat("a problem is a sentence that goes on from a name", /^[a-z]/.test(problem) && !problem.endsWith("."));
  expectThat("a problem does not hold the name, which is the row's", !problem.includes(name));
}

/** What a way to files is tried with. */
export interface FilesTried {
  readonly files: Files;
  /** The name of a document that is there, and of one that is not. */
  readonly there: string;
  readonly missing: string;
}

/**
 * What every way to files must do, as cases for any test runner.
 *
 * @param open gives the way, and names to try it with.
 * @example
 * ```ts
 * import { filesContract } from "yoroshi/contracts";
 *
 * const files = {
 *   find: async (name: string) => (name === "a" ? { hash: "0".repeat(64), type: "text/plain", bytes: 5 } : { problem: "names nothing" }),
 *   open: async ({ hash }: { hash: string }) =>
 *     hash.startsWith("0") ? { pages: [{ text: "words" }], pictures: [], notes: [] } : { problem: "is not at hand" },
 * };
 * for (const { name, run } of filesContract(() => ({ files, there: "a", missing: "b" }))) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function filesContract(open: () => FilesTried | Promise<FilesTried>): ContractCase[] {
  const spec = { kind: "document" };
  const cases: Readonly<Record<string, (tried: FilesTried) => Promise<void>>> = {
    async "finds a file by its content, the same each time, and opens it"({ files, there }) {
      const handle = checkHandle(await files.find(there, spec, MAY));
      expectSame("the same file", await files.find(there, spec, MAY), handle);
      checkOpened(await files.open(handle, spec));
    },
    async "tells what is not there"({ files, missing }) {
      checkProblem(await files.find(missing, spec, MAY), missing);
    },
    async "opens nothing that it did not find"({ files }) {
      expectThat(
        "an unknown handle is a problem",
        isProblem(await files.open({ hash: "f".repeat(64), type: "text/plain", bytes: 1 }, spec)),
      );
    },
  };
  return casesOf(cases, open);
}

/** What a way to pages is tried with. */
export interface PagesTried {
  readonly pages: Pages;
  /** The address of a page that is there, and of one that is not. */
  readonly there: string;
  readonly missing: string;
}

/**
 * What every way to pages of the web must do, as cases for any test runner.
 *
 * @param open gives the way, and addresses to try it with.
 * @example
 * ```ts
 * import { pagesContract } from "yoroshi/contracts";
 *
 * const pages = {
 *   find: async (at: string) => (at === "http://a.example/" ? { hash: "0".repeat(64), type: "text/html", bytes: 5 } : { problem: "is not there" }),
 *   open: async () => ({ pages: [{ text: "words" }], pictures: [], notes: [] }),
 * };
 * for (const { name, run } of pagesContract(() => ({ pages, there: "http://a.example/", missing: "http://b.example/" }))) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function pagesContract(open: () => PagesTried | Promise<PagesTried>): ContractCase[] {
  const cases: Readonly<Record<string, (tried: PagesTried) => Promise<void>>> = {
    async "finds a page and opens it"({ pages, there }) {
      checkOpened(await pages.open(checkHandle(await pages.find(there, { ...MAY, ...DAYS }))));
    },
    async "gives those who ask at the same time, and later, the same page"({ pages, there }) {
      const all = await Promise.all(Array.from({ length: 4 }, () => pages.find(there, { ...MAY, ...DAYS })));
      for (const one of all) expectSame("the same page", checkHandle(one), checkHandle(all[0]));
      expectSame("what was found, without the network", await pages.find(there, { mayFetch: false, ...DAYS }), all[0]);
    },
    async "tells what is not there, and what is no address"({ pages, missing }) {
      checkProblem(await pages.find(missing, { ...MAY, ...DAYS }), missing);
      checkProblem(await pages.find("file:///etc/hosts", { ...MAY, ...DAYS }), "etc");
    },
    async "finds nothing new without the network, and does not throw"({ pages, missing }) {
      const found = await pages.find(`${missing}-never-seen`, { mayFetch: false, ...DAYS });
      expectThat("it is not found, or known not to be there", found === undefined || isProblem(found));
    },
  };
  return casesOf(cases, open);
}

/** What an engine is tried with. */
export interface SearchTried {
  readonly search: Search;
  /** Words for which it finds at least two, and such for which it finds none. */
  readonly words: string;
  readonly nothing: string;
}

/**
 * What every way to search must do, as cases for any test runner.
 *
 * @param open gives the way, and words to try it with.
 * @example
 * ```ts
 * import { searchContract } from "yoroshi/contracts";
 *
 * const hit = (at: string) => ({ address: `http://${at}.example/`, title: at, summary: "" });
 * const search = {
 *   find: async (words: string, { engine, results }: { engine?: string | undefined; results: number }) =>
 *     engine === undefined ? (words === "rope" ? [hit("a"), hit("b")].slice(0, results) : []) : { problem: "names no engine" },
 * };
 * for (const { name, run } of searchContract(() => ({ search, words: "rope", nothing: "zzz" }))) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function searchContract(open: () => SearchTried | Promise<SearchTried>): ContractCase[] {
  const find = async (search: Search, words: string, results: number): Promise<readonly Hit[]> => {
    const found = await search.find(words, { ...MAY, ...DAYS, results });
    if (found === undefined || isProblem(found)) throw new Error(`a search is answered: ${found?.problem ?? "it would need the network"}`);
    return found;
  };
  const cases: Readonly<Record<string, (tried: SearchTried) => Promise<void>>> = {
    async "finds what there is, each with its address"({ search, words }) {
      const hits = await find(search, words, 5);
      expectThat("at least two are found", hits.length >= 2);
      for (const { address, title, isFile } of hits)
        expectThat("a hit has an address and a title", (isFile === true || /^https?:\/\//.test(address)) && typeof title === "string");
    },
    async "gives the best first, and as many as are wanted"({ search, words }) {
      const [first] = await find(search, words, 5);
      expectSame("the first of one", (await find(search, words, 1))[0], first);
    },
    async "gives none where there is none"({ search, nothing }) {
      expectSame("nothing", await find(search, nothing, 5), []);
    },
    async "tells of an engine that is not there"({ search, words }) {
      const found = await search.find(words, { ...MAY, ...DAYS, results: 3, engine: "no-such-engine" });
      expectThat("an unknown engine is a problem", found !== undefined && isProblem(found));
    },
  };
  return casesOf(cases, open);
}

const casesOf = <Tried>(
  cases: Readonly<Record<string, (tried: Tried) => Promise<void>>>,
  open: () => Tried | Promise<Tried>,
): ContractCase[] => Object.entries(cases).map(([name, run]) => ({ name, run: async () => run(await open()) }));
