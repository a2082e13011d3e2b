import path from "node:path";
import * as z from "zod";
import { EXPORTED, exportLedgerTo } from "./export-ledger.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

/** Every answer, or every row's cells, with cost and provenance, into a file. */
export const exportLedger = defineJob({
  name: "exportLedger",
  summary: "Writes every answer, every row's cells, or every decision, with its provenance into a file.",
  input: z.strictObject({
    /** A new file: .jsonl with every detail, or .csv. */
    file: z.string(),
    what: z.enum(EXPORTED),
    /** Tell the names of people who decided. Default: they are left out. */
    names: z.boolean().optional(),
  }),
  report: z.object({ file: z.string(), what: z.enum(EXPORTED), count }),
  async run(project, { file, what, names = false }) {
    return { file, what, count: await exportLedgerTo(project, what, path.resolve(file), names) };
  },
});

const DAY_MS = 86_400_000;

/** Lets the ledger forget old answers that no cell rests on; asked for again, they cost again. */
export const pruneLedger = defineJob({
  name: "pruneLedger",
  summary: "Forgets old answers that no cell rests on; asked for again, they cost again.",
  input: z.strictObject({
    /** How old an answer must be. */
    olderThanDays: z.number().min(0),
    /** Only what this plan's fills or this template's trials recorded. */
    of: z.string().optional(),
  }),
  report: z.object({ forgotten: count }),
  async run(project, { olderThanDays, of }) {
    const before = project.clock.now() - olderThanDays * DAY_MS;
    return { forgotten: await project.ledger().answers.prune({ before, subject: of }) };
  },
});
