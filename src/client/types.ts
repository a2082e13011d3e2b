import type * as z from "zod";
import type { liveShapes, UnderWay } from "../server/index.js";

export type { UnderWay };

/** What a listener is told: a fill or a trial that stands otherwise, cells that were recorded, files that changed, or to read again. */
export type LiveEventOf = {
  readonly [Type in keyof typeof liveShapes]: {
    readonly id: string;
    readonly type: Type;
    readonly data: z.output<(typeof liveShapes)[Type]>;
  };
}[keyof typeof liveShapes];
