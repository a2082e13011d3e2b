import * as z from "zod/mini";
import type { Json, StoredForm } from "../ground/index.js";
import type { Row } from "../table/index.js";
import type { ChunkName } from "./queue.js";

/** What a fill asks of its chunks, over what the plan says. */
export interface SpreadOptions {
  readonly refill?: string | undefined;
  readonly columns?: readonly string[] | undefined;
  readonly overwrite?: readonly string[] | undefined;
  readonly spendCap?: number | undefined;
}

/** A run whose rows others ask about. */
export interface SpreadRecord {
  readonly plan: string;
  /** Hashes of the files that it rests on, by what they are: a worker with others takes nothing. */
  readonly marks: Readonly<Record<string, string>>;
  readonly options: SpreadOptions;
  /** `stopping`: what is in hand is finished, and nothing is begun. */
  readonly state: "open" | "stopping";
  readonly since: number;
}

/** How far a chunk is. */
export interface ChunkRecord {
  readonly state: "waiting" | "taken" | "done";
  readonly rows: number;
  /** Who has it, or had it last. */
  readonly by?: string | undefined;
  /** How often it was taken. */
  readonly times: number;
  readonly at: number;
  /** Rows about which a model was asked. */
  readonly asked?: number | undefined;
  /** How often it could not be finished, for a host that gives no answers or says no to all. */
  readonly failed?: number | undefined;
}

/** A process that works, as it says of itself. */
export interface WorkerRecord {
  readonly seen: number;
  readonly host: string;
  readonly process: number;
  readonly chunks: number;
  readonly asked: number;
  /** Rows asked a minute, of late. */
  readonly pace: number;
  /** The limits that it shares at this moment with all others who name them: of a model, of a plan. */
  readonly shares?: readonly string[] | undefined;
  /** Why it takes nothing of a run, by the run's plan. */
  readonly refuses?: Readonly<Record<string, string>> | undefined;
}

export const SPREAD: StoredForm<SpreadRecord> = {
  format: 1,
  schema: z.object({
    plan: z.string(),
    marks: z.record(z.string(), z.string()),
    options: z.object({
      refill: z.optional(z.string()),
      columns: z.optional(z.array(z.string())),
      overwrite: z.optional(z.array(z.string())),
      spendCap: z.optional(z.number()),
    }),
    state: z.enum(["open", "stopping"]),
    since: z.number(),
  }),
};

export const CHUNK: StoredForm<ChunkRecord> = {
  format: 1,
  schema: z.object({
    state: z.enum(["waiting", "taken", "done"]),
    rows: z.number(),
    by: z.optional(z.string()),
    times: z.number(),
    at: z.number(),
    asked: z.optional(z.number()),
    failed: z.optional(z.number()),
  }),
};

export const WORKER: StoredForm<WorkerRecord> = {
  format: 1,
  schema: z.object({
    seen: z.number(),
    host: z.string(),
    process: z.number(),
    chunks: z.number(),
    asked: z.number(),
    pace: z.number(),
    shares: z.optional(z.array(z.string())),
    refuses: z.optional(z.record(z.string(), z.string())),
  }),
};

export const SPREAD_NAMES = "spread:";
export const WORKER_NAMES = "worker:";
export const spreadName = (run: string): string => SPREAD_NAMES + run;
export const chunkNames = (run: string): string => `chunk:${run}:`;
export const chunkName = ({ run, n }: ChunkName): string => `${chunkNames(run)}${n}`;
export const rowsName = ({ run, n }: ChunkName): string => `chunk-rows:${run}:${n}`;

/** A chunk's rows as they are kept: they are read by the same version that wrote them, since its files are compared. */
export const keptRows = (rows: readonly Row[]): Json => rows as unknown as Json; // rows are plain objects of texts and numbers
export const rowsOf = (kept: Json | undefined): readonly Row[] => (Array.isArray(kept) ? (kept as unknown as Row[]) : []); // as `keptRows` wrote them
