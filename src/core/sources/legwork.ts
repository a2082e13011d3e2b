import { canonicalJson, plainJson, sha256Hex } from "../ground/index.js";
import { LEGWORK_DEFAULTS, type LegworkSpec, type SourceHandle, type SourceSpec } from "../kinds/index.js";
import { choosePassages } from "./choose-passages.js";
import type { Errand } from "./errand.js";
import type { LegworkStep } from "./legwork-step.js";
import { isProblem, type Files, type FindOptions, type Opened, type SourceProblem, type Sources, type TextPage } from "./sources.js";

/** What was found, numbered, and how. */
interface Findings {
  readonly sources: readonly {
    readonly address: string;
    readonly title?: string | undefined;
    readonly fetchedAt?: string | undefined;
    readonly date?: string | undefined;
    readonly text: string;
  }[];
  readonly steps: readonly LegworkStep[];
  /** Where the pages lead that were read, as far as that is allowed. */
  readonly links?: readonly string[] | undefined;
}

const MOST_LINKS = 100;
const DAY_MS = 86_400_000;
const PROBLEM_MS = 3_600_000;

/**
 * Searches, reads and chooses, unless it was done within `maxAgeDays`. What was found has a hash of its own, so that an answer stays as
 * long as the same is found.
 */
export async function findLegwork(
  sources: Sources,
  name: string,
  spec: SourceSpec & LegworkSpec,
  options: FindOptions,
): Promise<SourceHandle | SourceProblem | undefined> {
  const { kept } = sources;
  if (!kept) return { problem: "cannot be done here: nothing is searched or read" };
  const key = `legwork:${sha256Hex(canonicalJson(plainJson([name, spec])))}`;
  const before = (await kept.get(key)) as { at: number; handle?: SourceHandle; problem?: string } | undefined;
  const told = (): SourceHandle | SourceProblem =>
    before!.problem === undefined ? before!.handle! : { problem: before!.problem, mayPass: true };
  const maxAgeMs = (spec.maxAgeDays ?? LEGWORK_DEFAULTS.maxAgeDays) * DAY_MS;
  if (before && kept.now() - before.at < (before.problem === undefined ? maxAgeMs : PROBLEM_MS)) return told();
  if (!options.mayFetch) return before ? told() : undefined;
  const findings = await doErrand(sources, JSON.parse(name) as Errand, spec, options);
  if (options.signal?.aborted) return { problem: "was not looked up any more", mayPass: true };
  if (findings.sources.length === 0) {
    const problem = `found nothing: ${findings.steps.map(({ did, what, problem: why }) => `${did} ${shortened(what)}${why ? ` ${why}` : ""}`).join("; ") || "there was nothing to look for"}`;
    await kept.set(key, { at: kept.now(), problem });
    return { problem, mayPass: true };
  }
  const hash = sha256Hex(canonicalJson(plainJson(findings.sources.map(({ address, text }) => [address, text]))));
  const handle: SourceHandle = { hash, type: "text/plain", bytes: findings.sources.reduce((sum, { text }) => sum + text.length, 0) };
  await kept.set(foundKey(hash), plainJson(findings));
  await kept.set(key, plainJson({ at: kept.now(), handle }));
  return handle;
}

const foundKey = (hash: string): string => `legwork-found:${hash}`;
const shortened = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);

/** What was found, each source under its number. */
export async function openLegwork({ kept }: Sources, { hash }: SourceHandle): Promise<Opened | SourceProblem> {
  // Kept by `findLegwork` alone, in this form.
  const found = (await kept?.get(foundKey(hash))) as unknown as Findings | undefined;
  if (!found) return { problem: "is not kept any more", mayPass: true };
  return {
    pages: found.sources.map(pageOf),
    pictures: [],
    notes: [],
    steps: found.steps,
    links: found.links ?? [],
  };
}

/** What was found, and what a further errand adds to it; of all of it, the passages that have most to do with the question. */
export async function addFindings(
  sources: Sources,
  before: Opened,
  errand: Errand,
  spec: SourceSpec & LegworkSpec,
  options: FindOptions,
): Promise<Opened> {
  const more = await doErrand(sources, errand, spec, options);
  const fresh = more.sources.filter(
    ({ address }) => !before.pages.some((one) => one.address !== undefined && sameAddress(one.address, address)),
  );
  const texts = await choosePassages(
    [...before.pages.map(({ text }) => text), ...fresh.map(({ text }) => text)],
    [errand.about, ...errand.search].join("\n"),
    spec.maxChars ?? LEGWORK_DEFAULTS.maxChars,
  );
  const pages = [...before.pages, ...fresh.map((one, index) => pageOf(one, before.pages.length + index))];
  return {
    ...before,
    // A source keeps its number, and one of which nothing is left is not shown.
    pages: pages.flatMap((page, index) => (texts[index] === "" ? [] : [{ ...page, text: texts[index]! }])),
    steps: [...(before.steps ?? []), ...more.steps],
    links: [...new Set([...(before.links ?? []), ...(more.links ?? [])])],
  };
}

const pageOf = ({ text, title, address, date }: Findings["sources"][number], index: number): TextPage => ({
  text,
  page: index + 1,
  title: [`source ${index + 1}`, title, address, date].filter(Boolean).join(" · "),
  address,
});

/** A page, or a file that an engine of one's own found, that is to be read. */
interface Wish {
  readonly address: string;
  readonly did: "read" | "follow";
  readonly isFile?: boolean | undefined;
}

async function doErrand(sources: Sources, errand: Errand, spec: LegworkSpec, options: FindOptions): Promise<Findings> {
  const { results, readPages, maxChars, maxAgeDays } = { ...LEGWORK_DEFAULTS, ...defined(spec) };
  const steps: LegworkStep[] = [];
  const wanted: Wish[] = [];
  const want = (wish: Wish): void => {
    const { address, isFile } = wish;
    if ((isFile || isAllowed(address, spec.hosts)) && !wanted.some((one) => sameAddress(one.address, address))) wanted.push(wish);
  };
  for (const address of errand.read) want({ address, did: "read" });
  for (const words of errand.search) {
    const hits = sources.search
      ? await sources.search.find(words, { ...options, engine: spec.engine, results, maxAgeDays })
      : { problem: "has no engine here" };
    if (hits === undefined || isProblem(hits)) {
      steps.push({ did: "search", what: words, found: 0, problem: hits?.problem });
      continue;
    }
    steps.push({ did: "search", what: words, found: hits.length });
    for (const { address, isFile } of hits.slice(0, results)) want({ address, did: "read", isFile });
  }
  const read: (Opened & { readonly address: string })[] = [];
  // Links that are followed come behind those that were found; the list grows while it is gone through.
  for (let index = 0; index < wanted.length && read.length < readPages; index++) {
    const wish = wanted[index]!;
    const { address, did } = wish;
    const page = await readPage(sources, wish, { ...options, maxAgeDays });
    if (isProblem(page)) {
      steps.push({ did, what: address, chars: 0, problem: page.problem });
      continue;
    }
    const own = page.address ?? address;
    // It may have moved to a host that is ruled out.
    if (!wish.isFile && !isAllowed(own, spec.hosts)) {
      steps.push({ did, what: address, chars: 0, problem: `moved to ${own}, whose host is not allowed` });
      continue;
    }
    if (read.some((one) => sameAddress(one.address, own))) continue;
    steps.push({ did, what: own, chars: page.pages.reduce((sum, { text }) => sum + text.length, 0) });
    read.push({ ...page, address: own });
    for (const link of page.links ?? []) if (isFollowed(link, own, spec.follow)) want({ address: link, did: "follow" });
  }
  const chosen = await choosePassages(
    read.map(({ pages }) => pages.map(({ text }) => text).join("\n\n")),
    [errand.about, ...errand.search].join("\n"),
    maxChars,
  );
  return {
    steps,
    links: [...new Set(read.flatMap(({ links = [] }) => links))].filter((link) => isAllowed(link, spec.hosts)).slice(0, MOST_LINKS),
    sources: read.flatMap(({ address, title, fetchedAt, date }, index) =>
      chosen[index] === "" ? [] : [{ address, title, fetchedAt, date, text: chosen[index]! }],
    ),
  };
}

async function readPage(
  { pages, files }: Sources,
  { address, isFile = false }: Wish,
  options: FindOptions & { readonly maxAgeDays: number },
): Promise<Opened | SourceProblem> {
  if (isFile) {
    const file = files ? await files.find(address, DOCUMENT, options) : { problem: "cannot be read here" };
    return file === undefined ? { problem: "was not fetched" } : isProblem(file) ? file : { ...(await openedFile(files!, file)), address };
  }
  const found = pages ? await pages.find(address, options) : { problem: "cannot be read here" };
  if (found === undefined) return { problem: "was not fetched" };
  return isProblem(found) ? found : pages!.open(found);
}

const DOCUMENT: SourceSpec = { kind: "document" };

async function openedFile(files: Files, handle: SourceHandle): Promise<Opened | SourceProblem> {
  return files.open(handle, DOCUMENT);
}

const defined = (spec: LegworkSpec): Partial<typeof LEGWORK_DEFAULTS> =>
  Object.fromEntries(Object.entries(spec).filter(([name, value]) => name in LEGWORK_DEFAULTS && value !== undefined));

/**
 * The host of an address, in small letters; an address is a URL, or a host by itself. As whoever fetches it will read it (WHATWG URL): a
 * name before `@` is no host, a backslash is a slash, tabs and line breaks are nothing, and a dot at the end changes nothing.
 */
const hostOf = (address: string): string =>
  (
    /^(?:[a-z][a-z0-9+.-]*:\/\/)?(?:[^/?#]*@)?([^/?#]*)/i.exec(
      address
        .replace(/[\t\r\n]/g, "")
        .trim()
        .replaceAll("\\", "/"),
    )?.[1] ?? ""
  )
    .toLowerCase()
    .replace(/\.?(?::\d*)?$/, "");

function isAllowed(address: string, hosts: LegworkSpec["hosts"]): boolean {
  const host = hostOf(address);
  const isOf = (one: string): boolean => host === one.toLowerCase() || host.endsWith(`.${one.toLowerCase()}`);
  return host !== "" && !hosts?.not?.some(isOf) && (hosts?.only === undefined || hosts.only.some(isOf));
}

/** Whether a link leads to a page of the same host whose address has one of the words. */
const isFollowed = (link: string, from: string, follow: readonly string[] = []): boolean =>
  hostOf(link) === hostOf(from) && follow.some((word) => link.slice(link.indexOf("/", 8)).toLowerCase().includes(word.toLowerCase()));

const plainAddress = (address: string): string =>
  address
    .replace(/^https?:\/\//i, "")
    .replace(/#.*$/, "")
    .replace(/\/$/, "")
    .toLowerCase();
const sameAddress = (a: string, b: string): boolean => plainAddress(a) === plainAddress(b);
