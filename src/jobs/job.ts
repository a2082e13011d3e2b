import type * as z from "zod";
import { YoroshiError } from "../core/index.js";
import type { Project } from "../project/index.js";

/** What a job is given besides its input. */
export interface JobContext<Event = never> {
  /** Aborted: as little more is done as can be; what was done stands. */
  readonly signal?: AbortSignal | undefined;
  /** Aborted before `signal`: nothing new is begun, what is in flight is finished. */
  readonly stop?: AbortSignal | undefined;
  /** Called before a question is asked whose answer is not known; what it throws refuses the question. Only where a job says so. */
  readonly admit?: (() => Promise<void>) | undefined;
  /** Told what goes on. */
  readonly on?: ((event: Event) => void) | undefined;
}

/**
 * One thing that a user can ask for, whatever the face: plain input, plain report, a schema for each. A face parses, runs the job
 * and shows the report. `Subject` is what it works on: a project, or nothing.
 */
export interface Job<Input extends z.ZodType = z.ZodType, Report extends z.ZodType = z.ZodType, Event = never, Subject = Project> {
  readonly name: string;
  /** One sentence for documents. */
  readonly summary: string;
  readonly input: Input;
  readonly report: Report;
  /** What it tells on the way, where it tells anything. */
  readonly event?: z.ZodType<Event> | undefined;
  /** Does it. */
  run(subject: Subject, input: z.output<Input>, context: JobContext<Event>): Promise<z.input<Report>>;
}

/** What a job takes. */
export type JobInput<J> = J extends { readonly input: infer Input extends z.ZodType } ? z.input<Input> : never;
/** What a job gives. */
export type JobReport<J> = J extends { readonly report: infer Report extends z.ZodType } ? z.output<Report> : never;

/** What a job tells on the way. */
export type JobEvent<J> = J extends { readonly event?: z.ZodType<infer Event> | undefined } ? Event : never;

export const defineJob = <Input extends z.ZodType, Report extends z.ZodType, Event = never, Subject = Project>(
  job: Job<Input, Report, Event, Subject>,
): Job<Input, Report, Event, Subject> => job;

/** A job that needs no project. */
export const defineFreeJob = <Input extends z.ZodType, Report extends z.ZodType, Event = never>({
  run,
  ...job
}: Omit<Job<Input, Report, Event>, "run"> & {
  run(input: z.output<Input>, context: JobContext<Event>): Promise<z.input<Report>>;
}): Job<Input, Report, Event, undefined> => ({ ...job, run: (_subject, input, context) => run(input, context) });

/** What somebody gave, as a schema reads it. @throws YoroshiError `badInput`, naming the key. */
export function readGiven<Schema extends z.ZodType>(schema: Schema, given: unknown, name: string): z.output<Schema> {
  const read = schema.safeParse(given);
  if (read.success) return read.data;
  const problems = read.error.issues.map(({ path, message }) => `${path.length > 0 ? `\`${path.join(".")}\`: ` : ""}${message}`);
  throw new YoroshiError("badInput", { job: name, problems });
}

/**
 * Runs a job on input that a face read.
 *
 * @throws YoroshiError `badInput` for input that its schema refuses, naming the key; whatever the job throws.
 * @example
 * ```ts
 * import { jobs, openProject, runJob } from "yoroshi/node";
 *
 * const project = await openProject({ cwd: "marrowby" });
 * const { rows, cost } = await runJob(jobs.previewFill, project, { plan: "triage" });
 * rows; // => 248
 * console.log(cost);
 * await project.close();
 * ```
 */
export async function runJob<Input extends z.ZodType, Report extends z.ZodType, Event, Subject>(
  job: Job<Input, Report, Event, Subject>,
  subject: Subject,
  input: unknown,
  context: JobContext<Event> = {},
): Promise<z.input<Report>> {
  return job.run(subject, readGiven(job.input, input, job.name), context);
}
