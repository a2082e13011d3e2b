import path from "node:path";
import * as z from "zod/mini";
import type { FileReader, KnownFile, TakenMail } from "../adapters/source-files/index.js";
import type { KeptAddress, Web, WebSend } from "../adapters/web/index.js";
import {
  claim,
  keep,
  readKept,
  shownText,
  YoroshiError,
  type Clock,
  type Files,
  type KeptFindings,
  type Search,
  type FindOptions,
  type Ledger,
  type Opened,
  type Pages,
  type SourceHandle,
  type SourceProblem,
  type SourceSpec,
  type Sources,
  type StoredForm,
} from "../core/index.js";
import { packageFolder } from "../files/index.js";
import type { ProjectFile } from "./project-file.js";

const DOCUMENT: SourceSpec = { kind: "document", maxPages: 2_000 } as SourceSpec;

const KNOWN: StoredForm<KnownFile> = {
  format: 1,
  schema: z.object({ size: z.number(), changedMs: z.number(), node: z.number(), hash: z.string(), type: z.string() }),
};

const ADDRESS: StoredForm<KeptAddress> = {
  format: 1,
  schema: z.object({
    at: z.number(),
    hash: z.string(),
    type: z.string(),
    bytes: z.number(),
    etag: z.optional(z.string()),
    lastModified: z.optional(z.string()),
    problem: z.optional(z.string()),
  }),
};

const PAGE: StoredForm<Opened> = {
  format: 1,
  schema: z.object({
    pages: z.array(z.object({ text: z.string(), page: z.optional(z.number()), title: z.optional(z.string()) })),
    pictures: z.array(z.never()),
    notes: z.array(z.string()),
    address: z.optional(z.string()),
    title: z.optional(z.string()),
    fetchedAt: z.optional(z.string()),
    date: z.optional(z.string()),
    links: z.optional(z.array(z.string())),
  }),
};

/** Of a project, what its ways to pictures, documents and pages need. */
export interface SourcesPlace {
  readonly root: string;
  readonly settings: ProjectFile;
  readonly clock: Clock;
  /** Where a path leads. @throws YoroshiError where it may not be read. */
  place(file: string): string;
  ledger(): Ledger;
}

interface Ways {
  readonly files: Files;
  readonly web: Web;
  readonly search: Search;
}

/** The ways of a project to what its rows name. Opened when the first row names something: few projects do. */
export class ProjectSources implements Sources {
  #ways: Promise<Ways> | undefined;
  #reader: FileReader | undefined;
  #closing: (() => Promise<void>)[] = [];

  constructor(readonly project: SourcesPlace) {}

  readonly files: Files = {
    find: async (name: string, spec: SourceSpec, options: FindOptions) => (await this.#open()).files.find(name, spec, options),
    open: async (handle: SourceHandle, spec: SourceSpec) => (await this.#open()).files.open(handle, spec),
  };
  readonly search: Search = {
    find: async (words, options) => (await this.#open()).search.find(words, options),
  };
  readonly kept: KeptFindings = {
    get: (name) => this.project.ledger().facts.get(name),
    set: (name, value) => this.project.ledger().facts.set(name, value),
    now: () => this.project.clock.now(),
  };
  readonly pages: Pages = {
    find: async (address, options) => (await this.#open()).web.find(address, options),
    open: async (handle) => (await this.#open()).web.open(handle),
  };

  #open(): Promise<Ways> {
    return (this.#ways ??= this.#make());
  }

  async #make(): Promise<Ways> {
    const { fileReader, HEAD_BYTES, pageHow, sourceFiles, TAIL_BYTES, typeOf } = await import("../adapters/source-files/index.js");
    const { web } = await import("../adapters/web/index.js");
    const { root, settings, clock } = this.project;
    const reader = (this.#reader = fileReader({ child: packageFolder(path.join("dist", "adapters", "source-files", "child.js")) }));
    const keptFolder = path.join(root, ".yoroshi", "kept");
    const ledger = this.project.ledger();
    const { facts } = ledger;
    const ofPage = (hash: string): string => `page-text:${hash}`;
    const ofFile = (place: string): string => `file-known:${path.relative(root, place)}`;
    const ways = web({
      send: await this.#send(),
      clock,
      keptFolder,
      pauseMs: settings.web.pauseSeconds * 1_000,
      kept: {
        address: async (of) => readKept(ADDRESS, await facts.get(`address:${of}`)),
        keepAddress: (of, kept) => facts.set(`address:${of}`, keep(ADDRESS, kept)),
        page: async (hash) => readKept(PAGE, await facts.get(ofPage(hash))),
        keepPage: (hash, page) => facts.set(ofPage(hash), keep(PAGE, page)),
        alone: (of) => claim(ledger, clock, `fetch:${of}`),
      },
      extract: (file, handle, { address, charset }) => reader.read(file, handle, pageHow(address, charset)),
      typeOf: (bytes, name) => typeOf(bytes.subarray(0, HEAD_BYTES), bytes.subarray(-TAIL_BYTES), name),
    });
    const { searchEngines } = await import("../adapters/search/index.js");
    return {
      web: ways,
      search: searchEngines({
        engines: settings.search,
        text: (address, options) => ways.text(address, options),
        place: (folder) => placeOf(this.project, folder),
        read: (file) => this.#textOf(file),
      }),
      files: sourceFiles({
        reader,
        place: (file) => placeOf(this.project, file),
        keptFolder,
        known: {
          get: async (place) => readKept(KNOWN, await facts.get(ofFile(place))),
          set: (place, known) => facts.set(ofFile(place), keep(KNOWN, known)),
        },
        fetched: (address, options) => ways.file(address, options),
      }),
    };
  }

  /** The network, or the small web that ships with the stand-in. */
  async #send(): Promise<WebSend> {
    const { hosts, web } = this.project.settings;
    if (web.use === "standin") {
      const { standinWeb } = await import("../services/standin-web/index.js");
      const server = await standinWeb();
      this.#closing.push(() => server.close());
      const { sendTo } = await import("../adapters/web/index.js");
      return sendTo(server.port);
    }
    if (web.use !== undefined) {
      const { sendTo } = await import("../adapters/web/index.js");
      const { port, hostname } = new URL(web.use);
      return sendTo(Number(port), hostname);
    }
    const { sendGuarded } = await import("../adapters/web/index.js");
    return sendGuarded((host) => hosts.allow.includes(host));
  }

  /** What a document says, kept by its hash. */
  async #textOf(file: string): Promise<{ readonly text: string } | SourceProblem> {
    const { files } = await this.#open();
    const handle = await files.find(file, DOCUMENT, { mayFetch: false });
    if (handle === undefined) return { problem: "is not at hand" };
    if ("problem" in handle) return handle;
    const name = `document-text:${handle.hash}`;
    const kept = await this.kept.get(name);
    if (typeof kept === "string") return { text: kept };
    const opened = await files.open(handle, DOCUMENT);
    if ("problem" in opened) return opened;
    const text = shownText(opened);
    await this.kept.set(name, text);
    return { text };
  }

  /** Takes an e-mail apart; what is attached to it can be read by path then. */
  async takeMail(file: string): Promise<TakenMail | SourceProblem> {
    await this.#open();
    const { root } = this.project;
    const mail = await this.#reader!.takeMail(file, path.join(root, ".yoroshi", "attachments"));
    return "problem" in mail
      ? mail
      : { ...mail, attachments: mail.attachments.map((place) => path.relative(root, place).split(path.sep).join("/")) };
  }

  async close(): Promise<void> {
    this.#reader?.close();
    await Promise.all(this.#closing.map((close) => close()));
  }
}

function placeOf(project: SourcesPlace, file: string): string {
  try {
    return project.place(file);
  } catch (error) {
    // The path itself is the row's, and not told.
    if (error instanceof YoroshiError && error.code === "badOption")
      throw new Error((error.details as { problem: string }).problem, { cause: error });
    throw error;
  }
}
