import type * as z from "zod";
import { YoroshiError } from "../core/index.js";
import type { Project } from "../project/index.js";

/** What a job is given besides its input. */
export interface JobContext<Event = never> {
  /** Aborted: as little more is done as can be; what was done stands. */
  readonly signal?: AbortSignal | undefined;
  /** Aborted before `signal`: nothing new is begun, what is in flight is finished. */
  readonly stop?: AbortSignal | undefined;
  /** Told what goes on. */
  readonly on?: ((event: Event) => void) | undefined;
}

/**
 * One thing that a user can ask for, whatever the face: plain input, plain report, a schema for each. A face parses, runs the job
 * and shows the report.
 */
export interface Job<Input extends z.ZodType = z.ZodType, Report extends z.ZodType = z.ZodType, Event = never> {
  readonly name: string;
  /** One sentence for documents. */
  readonly summary: string;
  readonly input: Input;
  readonly report: Report;
  run(project: Project, input: z.output<Input>, context: JobContext<Event>): Promise<z.input<Report>>;
}

export const defineJob = <Input extends z.ZodType, Report extends z.ZodType, Event = never>(
  job: Job<Input, Report, Event>,
): Job<Input, Report, Event> => job;

/**
 * Runs a job on input that a face read.
 *
 * @throws YoroshiError `badInput` for input that its schema refuses, naming the key; whatever the job throws.
 */
export async function runJob<Input extends z.ZodType, Report extends z.ZodType, Event>(
  job: Job<Input, Report, Event>,
  project: Project,
  input: unknown,
  context: JobContext<Event> = {},
): Promise<z.input<Report>> {
  const read = job.input.safeParse(input);
  if (!read.success) {
    const problems = read.error.issues.map(({ path, message }) => `${path.length > 0 ? `\`${path.join(".")}\`: ` : ""}${message}`);
    throw new YoroshiError("badInput", { job: job.name, problems });
  }
  return job.run(project, read.data, context);
}
