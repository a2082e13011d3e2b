import * as z from "zod";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";
import { plainNumber } from "./number.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    score: number;
  }
}

export interface ScoreSpec extends AnySpec {
  readonly kind: "score";
  readonly from: number;
  readonly to: number;
  /** What points of the scale mean: `{ 1: nobody could have been hurt, 5: someone could have died }`. */
  readonly scale?: Readonly<Record<string, string>> | undefined;
}

export const score: Kind<ScoreSpec, number> = {
  kind: "score",
  summary: "A whole number on a scale with described points.",
  keys: { from: z.int(), to: z.int(), scale: z.record(z.string(), z.string()).optional() },
  faults: (spec) => {
    if (spec.from >= spec.to) return [`\`from\` (${spec.from}) must be below \`to\` (${spec.to}).`];
    return Object.keys(spec.scale ?? {})
      .filter((point) => !(Number.isInteger(Number(point)) && Number(point) >= spec.from && Number(point) <= spec.to))
      .map((point) => `The scale describes ${point}, which is not a whole number from ${spec.from} to ${spec.to}.`);
  },
  value: (spec) => z.int("must be a whole number").min(spec.from, `must be at least ${spec.from}`).max(spec.to, `must be at most ${spec.to}`),
  tell: (spec) => {
    const points = Object.entries(spec.scale ?? {}).sort(([a], [b]) => Number(a) - Number(b));
    return [`a whole number from ${spec.from} to ${spec.to}${points.length > 0 ? ", where" : ""}`, ...points.map(([point, about]) => `  - ${point} = ${about}`)].join("\n");
  },
  tidy: (spec, raw) => (typeof raw === "string" ? (scoreIn(spec, raw) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const value = scoreIn(spec, cell);
    return value === undefined || !Number.isInteger(value) || value < spec.from || value > spec.to ? misfit(`is not a whole number from ${spec.from} to ${spec.to}`) : fits(value);
  },
  toCell: (_spec, value) => String(value),
};

/** `4`, `4.0` and, on a scale to 5, `4/5` or `4 out of 5`. */
function scoreIn(spec: ScoreSpec, text: string): number | undefined {
  const ratio = /^\s*(-?\d+)\s*(?:\/|out of)\s*(\d+)\s*$/i.exec(text);
  if (ratio) return Number(ratio[2]) === spec.to ? Number(ratio[1]) : undefined;
  return plainNumber(text);
}
