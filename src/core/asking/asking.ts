import type { Answer, Objection, Working } from "../answer/index.js";
import { sha256Hex, type CancelSignal, type Json } from "../ground/index.js";
import type { Model } from "../model/index.js";
import { fingerprinter, type Fingerprinter, type Prepared, type Sha256 } from "../template/index.js";

/** What is asked, and whom. */
export interface Asking {
  readonly prepared: Prepared;
  /** The template's version, from the ledger. */
  readonly version: number;
  readonly model: Model;
  /** The models that the template names besides its own, by name. */
  readonly others?: Readonly<Record<string, Model>> | undefined;
  /** What code makes of the answers, where they are not the model's own: `prepared` then says what the code gives. */
  readonly working?: Working | undefined;
}

/** The same with the way to tell its questions apart. */
export interface ReadyAsking extends Asking {
  readonly fingerprint: Fingerprinter;
  /** Of what a model reads before code works on it. */
  readonly readingFingerprint?: Fingerprinter | undefined;
}

/** What a model is asked about a question's inputs. */
export function requestOf(
  { prepared, working }: Asking,
  inputs: Readonly<Record<string, Json>>,
): { readonly prepared: Prepared; readonly inputs: Readonly<Record<string, Json>> } {
  return working ? { prepared: working.reading, inputs: working.inputs(inputs) } : { prepared, inputs };
}

/** @param sha256 the platform's own, where it has a faster one. */
export function readyAsking(asking: Asking, sha256?: Sha256): ReadyAsking {
  const { prepared, model, others, working } = asking;
  if (!working) return { ...asking, fingerprint: fingerprinter(prepared, model, sha256, others) };
  const reading = fingerprinter(working.reading, model, sha256, others);
  const ofReading: Fingerprinter = (inputs, ask) => reading(working.inputs(inputs), ask);
  return {
    ...asking,
    fingerprint: (inputs, ask) => (sha256 ?? sha256Hex)(`worked ${working.basis} ${ofReading(inputs, ask)}`),
    readingFingerprint: ofReading,
  };
}

/** Every model that something may be asked of, each once. */
export function modelsAsked(all: readonly Asking[]): Model[] {
  return [...new Set(all.flatMap(({ model, others }) => [model, ...Object.values(others ?? {})]))];
}

/** One question: what is asked about these inputs. */
export interface Question {
  readonly asking: ReadyAsking;
  readonly inputs: Readonly<Record<string, Json>>;
  /** Of the question; equal ones are asked once. */
  readonly fingerprint: string;
  /** Ask even where the ledger has an answer, unless this run gave it. */
  readonly fresh?: boolean | undefined;
  /** What it is charged to. Default: nothing in particular. */
  readonly step?: string | undefined;
  /** Questions of one asking that share a request, at most. Default 1. */
  readonly rowsPerRequest?: number | undefined;
  /** Numbers repeated asks of the same question, so that one with a temperature gets other draws. Default 0. */
  readonly ask?: number | undefined;
  /** What a person said of an earlier answer to it; asked alone. */
  readonly again?: Objection | undefined;
  /** Aborted when nobody waits for this answer any more. */
  readonly signal?: CancelSignal | undefined;
}

/** How an answer came: from a model in this run, or known before, or to an equal question. */
export type Came = "asked" | "reused";

/** A question with its answer. */
export interface Answered<Q extends Question = Question> {
  readonly question: Q;
  readonly answer: Answer;
  readonly came: Came;
}
