import { fork, type ChildProcess } from "node:child_process";
import { readFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import type { Opened, SourceHandle, SourceProblem } from "../../core/index.js";
import type { ReadHow, TakenMail } from "./read-how.js";
import type { ReadOrder, ReadReply } from "./child.js";

export interface ReaderOptions {
  /** The built file of the process that reads. */
  readonly child: string;
  /** Processes at most. Default: as many as there are processors, at most 4. */
  readonly processes?: number | undefined;
  /** Most time for a file. Default one minute. */
  readonly timeoutMs?: number | undefined;
  /** Most memory of a process, in bytes. Default 700 MB. */
  readonly memory?: number | undefined;
}

/** Reads files in processes of their own. */
export interface FileReader {
  read(path: string, handle: SourceHandle, how: ReadHow): Promise<Opened | SourceProblem>;
  /** Takes an e-mail apart; what is attached is put into files below a folder. */
  takeMail(path: string, folder: string): Promise<TakenMail | SourceProblem>;
  close(): void;
}

interface Job {
  readonly order: ReadOrder;
  done(result: Opened | TakenMail | SourceProblem): void;
}

interface Worker {
  readonly child: ChildProcess;
  job: Job | undefined;
  /** Why it is being ended. */
  ending?: string | undefined;
  timer?: NodeJS.Timeout | undefined;
}

const NO_HANDLE: SourceHandle = { hash: "", type: "message/rfc822", bytes: 0 };
const DEFAULTS = { timeoutMs: 60_000, memory: 700 * 1024 * 1024 };
/** Most time for a process to begin. */
const START_MS = 30_000;
const LOOK_MS = 50;
/** A process that has grown is replaced between two files: libraries give little back. */
const GROWN = 0.4;

/** Files are read in the order in which they were asked for, one at a time in each process. */
export function fileReader({ child, processes = Math.min(4, availableParallelism()), ...given }: ReaderOptions): FileReader {
  const timeoutMs = given.timeoutMs ?? DEFAULTS.timeoutMs;
  const memory = given.memory ?? DEFAULTS.memory;
  const waiting: Job[] = [];
  const workers = new Set<Worker>();
  let ids = 0;
  let watch: NodeJS.Timeout | undefined;
  let isClosed = false;

  const finish = (worker: Worker, result: Opened | TakenMail | SourceProblem): void => {
    const { job } = worker;
    clearTimeout(worker.timer);
    worker.job = undefined;
    job?.done(result);
  };
  const end = (worker: Worker, why: string): void => {
    worker.ending = why;
    worker.child.kill("SIGKILL");
  };
  const setEnd = (worker: Worker, ms: number): void => {
    clearTimeout(worker.timer);
    worker.timer = setTimeout(() => end(worker, `takes longer than ${timeoutMs / 1000} seconds to read`), ms);
  };
  const start = (): Worker => {
    const worker: Worker = {
      child: fork(child, [], {
        serialization: "advanced",
        stdio: ["ignore", "ignore", "ignore", "ipc"],
        execArgv: ["--max-old-space-size=512"],
        // Native code that decodes pictures in several threads would keep a heap for each.
        env: { ...surroundings(), MALLOC_ARENA_MAX: "2" },
      }),
      job: undefined,
    };
    workers.add(worker);
    worker.child.on("message", (message) => {
      const { id, opened, mail, problem, mayPass, began } = message as ReadReply;
      if (worker.job?.order.id !== id) return;
      if (began) return setEnd(worker, timeoutMs);
      finish(worker, opened ?? mail ?? { problem: problem ?? "cannot be read", mayPass });
      if ((residentBytes(worker.child.pid) ?? 0) > memory * GROWN) end(worker, "");
      else next(worker);
    });
    worker.child.on("exit", () => {
      workers.delete(worker);
      finish(
        worker,
        isClosed ? { problem: "was not read any more", mayPass: true } : { problem: worker.ending ?? "made its reader break down" },
      );
      fill();
    });
    worker.child.on("error", () => end(worker, "could not be read: no process could be started for it"));
    return worker;
  };
  const next = (worker: Worker): void => {
    const job = waiting.shift();
    if (!job) return rest();
    worker.job = job;
    worker.child.ref();
    setEnd(worker, timeoutMs + START_MS);
    worker.child.send(job.order);
    watch ??= setInterval(look, LOOK_MS);
  };
  /** Nobody is kept waiting by processes that have nothing to do. */
  const rest = (): void => {
    if ([...workers].some(({ job }) => job)) return;
    clearInterval(watch);
    watch = undefined;
    for (const { child: idle } of workers) {
      idle.unref();
      idle.channel?.unref();
    }
  };
  const look = (): void => {
    for (const worker of workers)
      if (worker.job && !worker.ending && (residentBytes(worker.child.pid) ?? 0) > memory)
        end(worker, `needs more than ${Math.round(memory / 1024 / 1024)} MB of memory to be read`);
  };
  const fill = (): void => {
    for (const worker of workers) {
      if (waiting.length === 0) break;
      if (!worker.job && !worker.ending) next(worker);
    }
    while (!isClosed && waiting.length > 0 && workers.size < processes) next(start());
    rest();
  };
  const order = <Result>(path: string, handle: SourceHandle, how: ReadOrder["how"]): Promise<Result | SourceProblem> =>
    new Promise((done) => {
      // What comes back is what was ordered.
      waiting.push({ order: { id: ++ids, path, handle, how }, done: done as Job["done"] });
      fill();
    });
  return {
    read: (path, handle, how) => order<Opened>(path, handle, how),
    takeMail: (path, folder) => order<TakenMail>(path, NO_HANDLE, { folder }),
    close: () => {
      isClosed = true;
      clearInterval(watch);
      for (const worker of workers) worker.child.kill("SIGKILL");
      for (const job of waiting.splice(0)) job.done({ problem: "was not read any more", mayPass: true });
    },
  };
}

/** What a process needs to run, and none of the keys that stand in ours: it reads files of strangers. */
const surroundings = (): NodeJS.ProcessEnv =>
  Object.fromEntries(
    ["PATH", "HOME", "USERPROFILE", "TMPDIR", "TEMP", "TMP", "LANG", "SystemRoot", "LD_LIBRARY_PATH"].flatMap((name) =>
      process.env[name] === undefined ? [] : [[name, process.env[name]]],
    ),
  );

const PAGE = 4096;

/** Memory of a process that is in use; where the system does not tell, its own limit of the heap has to do. */
function residentBytes(pid: number | undefined): number | undefined {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, "utf8").split(" ")[1]) * PAGE;
  } catch {
    return undefined;
  }
}
