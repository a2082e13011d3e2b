import { randomBytes } from "node:crypto";
import * as z from "zod";
import { underWayShape, type UnderWay } from "./under-way.js";

/** What listeners are told. */
export const liveShapes = {
  /** A fill or a trial stands otherwise: its progress, its state. */
  run: underWayShape,
  /** Cells of a plan were recorded: of these rows, or of so many that all are to be read again (`keys` is null). */
  cells: z.object({ plan: z.string(), keys: z.array(z.string()).nullable() }),
  /** A watched plan stands otherwise, or a round of it has ended; see `readWatched` and `readChanges`. */
  watch: z.object({ plan: z.string() }),
  /** Files of the project were changed, added or taken away. */
  files: z.object({ files: z.array(z.string()) }),
  /** What came between is not known any more, or another process has recorded something: read again what is shown. */
  again: z.object({}),
} as const;

export interface LiveEvent {
  readonly id: string;
  readonly type: keyof typeof liveShapes;
  readonly data: unknown;
}

/** Changes that are not told yet, each kind gathered so that it grows no further than what it is about. */
interface Gathered {
  readonly runs: Map<string, UnderWay>;
  readonly cells: Map<string, Set<string> | null>;
  readonly watch: Set<string>;
  readonly files: Set<string>;
  again: boolean;
}

const GATHER_MS = 100;
const MOST_KEYS = 500;
const MOST_FILES = 200;
const KEPT = 1_000;

const nothing = (): Gathered => ({ runs: new Map(), cells: new Map(), watch: new Set(), files: new Set(), again: false });

/** What was gathered, as events. */
const eventsOf = ({ runs, cells, watch, files, again }: Gathered): Omit<LiveEvent, "id">[] => [
  ...[...runs.values()].map((data) => ({ type: "run" as const, data })),
  ...[...cells].map(([plan, keys]) => ({ type: "cells" as const, data: { plan, keys: keys && [...keys] } })),
  ...[...watch].map((plan) => ({ type: "watch" as const, data: { plan } })),
  ...(files.size > 0 ? [{ type: "files" as const, data: { files: [...files] } }] : []),
  ...(again ? [{ type: "again" as const, data: {} }] : []),
];

/** Sends events to one listener; resolves once it has taken them. */
export type Send = (events: readonly LiveEvent[]) => Promise<void>;

/**
 * Tells listeners what changes. Changes are gathered over a tenth of a second for all, and for each listener as long as it has not taken
 * what was sent before: so a slow one is told less often, and nothing is lost but steps between.
 */
export class Live {
  readonly #boot = randomBytes(4).toString("hex");
  #number = 0;
  readonly #kept: LiveEvent[] = [];
  #gathered = nothing();
  #timer: NodeJS.Timeout | undefined;
  #toldAt = 0;
  readonly #listeners = new Set<Listener>();

  get listeners(): number {
    return this.#listeners.size;
  }

  run(now: UnderWay): void {
    this.#gathered.runs.set(now.id, now);
    this.#later();
  }

  cells(plan: string, keys: Iterable<string>): void {
    addKeys(this.#gathered.cells, plan, keys);
    this.#later();
  }

  watch(plan: string): void {
    this.#gathered.watch.add(plan);
    this.#later();
  }

  files(file: string): void {
    if (this.#gathered.files.size >= MOST_FILES) this.#gathered.again = true;
    else this.#gathered.files.add(file);
    this.#later();
  }

  again(): void {
    this.#gathered.again = true;
    this.#later();
  }

  /** @param last the id of the last event that the listener has seen. Returns the way to leave. */
  listen(send: Send, last?: string): () => void {
    const listener = new Listener(send);
    if (last !== undefined) listener.tell(this.#since(last));
    this.#listeners.add(listener);
    return () => void this.#listeners.delete(listener);
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#listeners.clear();
  }

  #since(last: string): LiveEvent[] {
    const [boot, number] = last.split("-");
    const index = this.#kept.findIndex(({ id }) => id === last);
    const isNewest = boot === this.#boot && Number(number) === this.#number;
    if (isNewest) return [];
    return index < 0 ? [{ id: `${this.#boot}-${this.#number}`, type: "again", data: {} }] : this.#kept.slice(index + 1);
  }

  #later(): void {
    // The first after a quiet while is told at once; what follows it is gathered.
    this.#timer ??= setTimeout(() => this.#tell(), Math.max(0, this.#toldAt + GATHER_MS - performance.now()));
  }

  #tell(): void {
    this.#timer = undefined;
    this.#toldAt = performance.now();
    const events = eventsOf(this.#gathered).map((event): LiveEvent => ({ id: `${this.#boot}-${++this.#number}`, ...event }));
    this.#gathered = nothing();
    this.#kept.push(...events);
    this.#kept.splice(0, this.#kept.length - KEPT);
    for (const listener of this.#listeners) listener.tell(events);
  }
}

function addKeys(all: Map<string, Set<string> | null>, plan: string, keys: Iterable<string> | null): void {
  const known = all.get(plan);
  if (known === null || keys === null) return void all.set(plan, null);
  const own = known ?? new Set<string>();
  for (const key of keys) own.add(key);
  all.set(plan, own.size > MOST_KEYS ? null : own);
}

/** One who listens: what comes while it is still taking is gathered. */
class Listener {
  #isTaking = false;
  #waiting = nothing();
  #last = "";

  constructor(readonly send: Send) {}

  tell(events: readonly LiveEvent[]): void {
    if (events.length === 0) return;
    if (!this.#isTaking) return void this.#give(events);
    this.#last = events.at(-1)!.id;
    for (const { type, data } of events) {
      if (type === "run") this.#waiting.runs.set((data as UnderWay).id, data as UnderWay);
      else if (type === "cells") addKeys(this.#waiting.cells, (data as { plan: string }).plan, (data as { keys: string[] | null }).keys);
      else if (type === "watch") this.#waiting.watch.add((data as { plan: string }).plan);
      else if (type === "files") for (const file of (data as { files: string[] }).files) this.#waiting.files.add(file);
      else this.#waiting.again = true;
    }
    if (this.#waiting.files.size > MOST_FILES) this.#waiting.again = true;
  }

  async #give(events: readonly LiveEvent[]): Promise<void> {
    this.#isTaking = true;
    try {
      await this.send(events);
    } catch {
      return; // it has gone; whoever let it in takes it off the list
    }
    this.#isTaking = false;
    const waiting = this.#waiting;
    this.#waiting = nothing();
    // Whoever reads all again needs not be told which files.
    if (waiting.again) waiting.files.clear();
    const id = this.#last;
    this.tell(eventsOf(waiting).map((event) => ({ id, ...event })));
  }
}
