import path from "node:path";
import * as z from "zod";
import { packFiles, unpackFiles } from "./bundles.js";
import { defineJob } from "./job.js";

/** Templates with all that they read, in one file. */
export const packTemplates = defineJob({
  name: "packTemplates",
  summary: "Puts templates, with all that they read, into one file for another project.",
  input: z.strictObject({
    /** The new file, a ZIP. */
    file: z.string(),
    /** All templates where none is named. */
    templates: z.array(z.string()).readonly().optional(),
  }),
  report: z.object({ bundle: z.string(), files: z.array(z.string()) }),
  async run(project, { file, templates = [] }) {
    return { bundle: file, files: await packFiles(project, templates, path.resolve(file)) };
  },
});

const arrival = z.object({
  path: z.string(),
  /** `same`: it was there already, byte for byte. `conflict`: another file stands there, and nothing at all was written. */
  state: z.enum(["written", "same", "overwritten", "conflict"]),
});

export type Arrival = z.output<typeof arrival>;

/** The templates of such a file into this project; all of them, or nothing where another file stands in the way. */
export const unpackTemplates = defineJob({
  name: "unpackTemplates",
  summary: "Brings the templates of a bundle into the project; nothing of the person's is overwritten.",
  input: z.strictObject({
    file: z.string(),
    /** Files that the bundle may replace. */
    overwrite: z.array(z.string()).readonly().optional(),
  }),
  report: z.object({ bundle: z.string(), files: z.array(arrival), written: z.boolean() }),
  async run(project, { file, overwrite = [] }) {
    const files = await unpackFiles(project, path.resolve(file), overwrite);
    return { bundle: file, files, written: files.every(({ state }) => state !== "conflict") };
  },
});
