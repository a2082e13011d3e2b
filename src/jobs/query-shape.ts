import * as z from "zod";
import { cellState } from "./schemas.js";

/** Which rows of a table are looked for; all of it holds. */
export const queryShape = {
  /** Words that a row has somewhere, all of them. */
  search: z.string().max(1_000).optional(),
  /** What must hold of columns; all of it. */
  filters: z
    .array(
      z.strictObject({
        column: z.string(),
        is: z.array(z.string()).optional(),
        not: z.array(z.string()).optional(),
        has: z.string().optional(),
        /** Numbers by size, all else as text: days as 2026-03-01. */
        atLeast: z.string().optional(),
        atMost: z.string().optional(),
        state: z.array(cellState).optional(),
        blank: z.boolean().optional(),
        /** Why it stands so, in the words that a page of rows gives. */
        because: z.string().optional(),
      }),
    )
    .max(50)
    .optional(),
  /** CEL over `row`, filled columns included. */
  where: z.string().max(5_000).optional(),
  /** A cell of the row stands in one of these states, whichever column. */
  states: z.array(cellState).optional(),
} as const;

export const sortShape = z
  .array(z.strictObject({ column: z.string(), descending: z.boolean().optional() }))
  .max(5)
  .optional();
