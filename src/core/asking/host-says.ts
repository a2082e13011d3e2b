import * as z from "zod/mini";
import { keep, plainJson, readKept, type Clock, type StoredForm } from "../ground/index.js";
import type { FactStore } from "../ledger/index.js";
import type { HostSays, Model } from "../model/index.js";

/** What a model's host has said of itself, and since when. */
export interface HostSaid extends HostSays {
  /** When it was first said, milliseconds since 1970. */
  readonly since: number;
}

/** A model's host says something of itself that it never said before. */
export interface HostChange {
  readonly model: string;
  readonly was: HostSays;
  readonly now: HostSays;
}

const SAID: StoredForm<{ readonly said: readonly HostSaid[] }> = {
  format: 1,
  schema: z.object({ said: z.array(z.object({ model: z.optional(z.string()), system: z.optional(z.string()), since: z.number() })) }),
};
const MOST_SAID = 50;
const MOST_CHARS = 200;

const noteName = ({ host, id }: Pick<Model, "host" | "id">): string => `host:${host} ${id}`;
const same = (a: HostSays, b: HostSays): boolean => a.model === b.model && a.system === b.system;

/** All that a model's host has said of itself, the oldest first. */
export async function readHostSaid(facts: Pick<FactStore, "get">, model: Pick<Model, "host" | "id">): Promise<readonly HostSaid[]> {
  return readKept(SAID, await facts.get(noteName(model)))?.said ?? [];
}

/**
 * Hears what hosts say of themselves with each reply, and keeps it. A host may answer from several systems in turn, so only what it has
 * never said before counts as a change.
 */
export class HostEar {
  readonly #known = new Map<string, Promise<readonly HostSaid[]>>();
  /** What was heard here already: nearly every reply says the same. */
  readonly #heard = new Set<string>();
  #hearing: Promise<unknown> = Promise.resolve();

  constructor(
    readonly facts: FactStore,
    readonly clock: Clock,
    readonly onChange: (change: HostChange) => void,
  ) {}

  hear(model: Model, said: HostSays | undefined): void {
    if (said?.model === undefined && said?.system === undefined) return;
    const now: HostSays = { ...cut("model", said.model), ...cut("system", said.system) };
    const heard = `${noteName(model)} ${now.model ?? ""} ${now.system ?? ""}`;
    if (this.#heard.has(heard) || this.#heard.size >= MOST_SAID) return;
    this.#heard.add(heard);
    // A ledger that cannot keep it meets the next entry with the same error.
    this.#hearing = this.#hearing.then(() => this.#hear(model, now)).catch(() => undefined);
  }

  /** Resolves once all that was heard is kept. */
  async idle(): Promise<void> {
    await this.#hearing;
  }

  async #hear(model: Model, now: HostSays): Promise<void> {
    const name = noteName(model);
    const known = await (this.#known.get(name) ?? readHostSaid(this.facts, model));
    if (known.some((one) => same(one, now))) return void this.#known.set(name, Promise.resolve(known));
    const all = [...known, { ...now, since: this.clock.now() }].slice(-MOST_SAID);
    this.#known.set(name, Promise.resolve(all));
    await this.facts.set(name, keep(SAID, plainJson({ said: all }) as never));
    const was = known.at(-1);
    if (was) this.onChange({ model: model.id, was: said(was), now });
  }
}

const said = ({ model, system }: HostSays): HostSays => ({ ...cut("model", model), ...cut("system", system) });

const cut = (key: "model" | "system", text: string | undefined): HostSays =>
  text === undefined ? {} : { [key]: text.slice(0, MOST_CHARS) };
