import * as z from "zod";
import { explainCells, messageText } from "../core/index.js";
import { defineJob } from "./job.js";
import { count } from "./schemas.js";

const picture = z.object({
  /** The input, and which of its pictures or pages it is. */
  of: z.string(),
  type: z.string(),
  width: count,
  height: count,
  bytes: count,
  /** Base 64. */
  data: z.string(),
});

/** The pictures that a model is shown of a row, as they are sent. */
export const showPictures = defineJob({
  name: "showPictures",
  summary: "Shows the pictures that a model is shown of one row: photographs, and pages of documents that were scanned.",
  input: z.strictObject({
    plan: z.string(),
    /** The row's key. */
    key: z.string(),
    /** Only the step that fills this column. */
    column: z.string().optional(),
  }),
  report: z.object({ plan: z.string(), key: z.string(), pictures: z.array(picture) }),
  async run(project, { plan, key, column }) {
    const { setup } = await project.fillSetup(plan, { asks: false });
    const steps = await explainCells(setup, key, column);
    const pictures = steps.flatMap(({ prompt = [] }) => {
      const parts = prompt.at(-1)?.parts ?? [];
      return parts.flatMap((part, index) => {
        if (part.kind !== "picture") return [];
        const { type, width, height, bytes, data } = part;
        // The words before a picture are its name.
        const before = parts[index - 1];
        const of = before ? messageText({ role: "user", parts: [before] }).replace(/:$/, "") : "";
        return [{ of, type, width, height, bytes, data }];
      });
    });
    return { plan: setup.plan.name, key, pictures };
  },
});
