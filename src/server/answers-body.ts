import * as z from "zod";

/** What is sent to have rows answered; the rows themselves are the job's to read. */
export const answersBody = z.strictObject({
  /** One row: input -> value. */
  inputs: z.record(z.string(), z.unknown()).optional(),
  /** Or many. */
  rows: z.array(z.record(z.string(), z.unknown())).min(1).max(1_000).optional(),
  /** Ask even where the answer is known. */
  fresh: z.boolean().optional(),
  /** Do not wait: the answer is 202, with a place to look. */
  later: z.boolean().optional(),
  /** With `later`: an address that is told when the answers are there; its host is named in yoroshi.yaml. */
  callBack: z.string().max(2_000).optional(),
});
