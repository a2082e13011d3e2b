import path from "node:path";
import {
  keep,
  readKept,
  YoroshiError,
  type Files,
  type FindOptions,
  type Ledger,
  type Opened,
  type SourceHandle,
  type SourceSpec,
  type Sources,
  type StoredForm,
} from "../core/index.js";
import type { FileReader, KnownFile } from "../adapters/source-files/index.js";
import { packageFolder } from "../files/index.js";
import * as z from "zod/mini";

const KNOWN: StoredForm<KnownFile> = {
  format: 1,
  schema: z.object({ size: z.number(), changedMs: z.number(), node: z.number(), hash: z.string(), type: z.string() }),
};

/** Of a project, what its ways to pictures, documents and pages need. */
export interface SourcesPlace {
  readonly root: string;
  /** Where a path leads. @throws YoroshiError where it may not be read. */
  place(file: string): string;
  ledger(): Ledger;
}

/** The ways of a project to what its rows name. Opened when the first row names something: few projects do. */
export class ProjectSources implements Sources {
  #files: Promise<Files> | undefined;
  #reader: FileReader | undefined;

  constructor(readonly project: SourcesPlace) {}

  readonly files: Files = {
    find: async (name: string, spec: SourceSpec, options: FindOptions) => (await this.#open()).find(name, spec, options),
    open: async (handle: SourceHandle, spec: SourceSpec): Promise<Opened | { problem: string }> => (await this.#open()).open(handle, spec),
  };

  #open(): Promise<Files> {
    return (this.#files ??= this.#make());
  }

  async #make(): Promise<Files> {
    const { fileReader, sourceFiles } = await import("../adapters/source-files/index.js");
    const { root } = this.project;
    this.#reader = fileReader({ child: packageFolder(path.join("dist", "adapters", "source-files", "child.js")) });
    const factOf = (place: string): string => `file:${path.relative(root, place)}`;
    return sourceFiles({
      reader: this.#reader,
      place: (file) => placeOf(this.project, file),
      keptFolder: path.join(root, ".yoroshi", "kept"),
      known: {
        get: async (place) => readKept(KNOWN, await this.project.ledger().facts.get(factOf(place))),
        set: (place, known) => this.project.ledger().facts.set(factOf(place), keep(KNOWN, known)),
      },
    });
  }

  close(): void {
    this.#reader?.close();
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
