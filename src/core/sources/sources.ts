import type { CancelSignal, Json } from "../ground/index.js";
import type { SourceHandle, SourceSpec } from "../kinds/index.js";
import type { LegworkStep } from "./legwork-step.js";

/** Why something cannot be had, in words that go on from its name: `is encrypted`. */
export interface SourceProblem {
  readonly problem: string;
  /** Looking again later may help: a host that was down. */
  readonly mayPass?: boolean | undefined;
}

/** A picture as a model is shown it: turned upright, scaled down, without what a camera wrote beside it. */
export interface Picture {
  readonly type: string;
  /** In base 64. */
  readonly data: string;
  readonly width: number;
  readonly height: number;
  readonly bytes: number;
  readonly hash: string;
  /** The page of a document that it is a picture of, from 1. */
  readonly page?: number | undefined;
}

/** A piece of a text: a page of a document, an attachment of an e-mail. */
export interface TextPage {
  readonly text: string;
  /** From 1, where the document has pages. */
  readonly page?: number | undefined;
  /** What it is, where it is not simply the next page: `attachment receipt.pdf`. */
  readonly title?: string | undefined;
  /** Where it was found, of what was looked up. */
  readonly address?: string | undefined;
}

/** What a source holds, as a model is to have it. */
export interface Opened {
  readonly pages: readonly TextPage[];
  readonly pictures: readonly Picture[];
  /** What a person should know of it, in words: pages that were left out. */
  readonly notes: readonly string[];
  /** Of a page of the web: where it is, what it is called, when it was fetched (ISO 8601), the day that it states. */
  readonly address?: string | undefined;
  readonly title?: string | undefined;
  readonly fetchedAt?: string | undefined;
  readonly date?: string | undefined;
  /** Where it leads, absolute. */
  readonly links?: readonly string[] | undefined;
  /** What was done to find it, of what was looked up. */
  readonly steps?: readonly LegworkStep[] | undefined;
}

/** How far one may go to find a source. */
export interface FindOptions {
  /** Whether the network may be used; else only what was fetched before is found. */
  readonly mayFetch: boolean;
  readonly signal?: CancelSignal | undefined;
}

/**
 * The port to files: pictures and documents by path, address, `data:` address or, in a browser, whatever names were given to them.
 * Nothing here throws for what is wrong with one file.
 */
export interface Files {
  /** What a name stands for. `undefined`: it would have to be fetched, and may not be. */
  find(name: string, spec: SourceSpec, options: FindOptions): Promise<SourceHandle | SourceProblem | undefined>;
  /** What a file holds, read as its kind and spec say. */
  open(handle: SourceHandle, spec: SourceSpec): Promise<Opened | SourceProblem>;
}

/** The port to pages of the web. */
export interface Pages {
  /** The page at an address, fetched unless it was within `maxAgeDays`. `undefined`: it would have to be fetched, and may not be. */
  find(address: string, options: FindOptions & { readonly maxAgeDays: number }): Promise<SourceHandle | SourceProblem | undefined>;
  /** A page as it was when it was fetched. */
  open(handle: SourceHandle): Promise<Opened | SourceProblem>;
}

/** What a search found. */
export interface Hit {
  readonly address: string;
  readonly title: string;
  readonly summary: string;
  /** It is a document by its path, not a page. */
  readonly isFile?: boolean | undefined;
}

/** The port to engines that search. */
export interface Search {
  /** What an engine finds, the best first. `undefined`: the network would have to be used, and may not be. */
  find(
    words: string,
    options: FindOptions & { readonly engine?: string | undefined; readonly results: number; readonly maxAgeDays: number },
  ): Promise<readonly Hit[] | SourceProblem | undefined>;
}

/** Where what was looked up is kept, over runs. */
export interface KeptFindings {
  get(name: string): Promise<Json | undefined>;
  set(name: string, value: Json): Promise<void>;
  /** Milliseconds since 1970. */
  now(): number;
}

/** The ways to what rows name and do not hold. What is left out is not to be had here. */
export interface Sources {
  readonly files?: Files | undefined;
  readonly pages?: Pages | undefined;
  readonly search?: Search | undefined;
  readonly kept?: KeptFindings | undefined;
}

export const isProblem = (found: object | undefined): found is SourceProblem => found !== undefined && "problem" in found;
