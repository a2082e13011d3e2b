import * as z from "zod/mini";
import { fits, misfit, type AnySpec, type Kind } from "./kind.js";
import { plainNumber } from "./plain-number.js";

declare module "./value-of.js" {
  interface KindValues<Spec> {
    score: number;
  }
  interface KindSpecs {
    score: ScoreSpec;
  }
}

export interface ScoreSpec extends AnySpec {
  readonly kind: "score";
  readonly from: number;
  readonly to: number;
  /** The distance of the points: 1 (default), or a part of it such as 0.5. */
  readonly step?: number | undefined;
  /** What points of the scale mean: `{ 1: nobody could have been hurt, 5: someone could have died }`. */
  readonly scale?: Readonly<Record<string, string>> | undefined;
}

const stepOf = (spec: ScoreSpec): number => spec.step ?? 1;

export const score: Kind<ScoreSpec, number> = {
  kind: "score",
  summary: "A number on a scale with described points.",
  keys: {
    from: z.number(),
    to: z.number(),
    step: z.optional(z.number().check(z.positive())),
    scale: z.optional(z.record(z.string(), z.string())),
  },
  faults: (spec) => {
    if (spec.from >= spec.to) return [`\`from\` (${spec.from}) must be below \`to\` (${spec.to}).`];
    if (!isPoint(spec, spec.to)) return [`The scale from ${spec.from} to ${spec.to} cannot be walked in steps of ${stepOf(spec)}.`];
    return Object.keys(spec.scale ?? {})
      .filter((point) => !isPoint(spec, Number(point)))
      .map((point) => `The scale describes ${point}, which is not ${pointName(spec)}.`);
  },
  value: (spec) => {
    const schema = (isWhole(spec) ? z.int("must be a whole number") : z.number("must be a number"))
      .check(z.gte(spec.from, `must be at least ${spec.from}`))
      .check(z.lte(spec.to, `must be at most ${spec.to}`));
    return isWhole(spec) && stepOf(spec) === 1
      ? schema
      : schema.check(z.refine((value) => isPoint(spec, value), `must be ${pointName(spec)}`));
  },
  tell: (spec) => {
    const points = Object.entries(spec.scale ?? {}).sort(([a], [b]) => Number(a) - Number(b));
    return [`${pointName(spec)}${points.length > 0 ? ", where" : ""}`, ...points.map(([point, about]) => `  - ${point} = ${about}`)].join(
      "\n",
    );
  },
  tidy: (spec, raw) => (typeof raw === "string" ? (scoreIn(spec, raw) ?? raw) : raw),
  fromCell: (spec, cell) => {
    const value = scoreIn(spec, cell);
    return value === undefined || !isPoint(spec, value) ? misfit(`is not ${pointName(spec)}`) : fits(value);
  },
  toCell: (_spec, value) => String(value),
  cellType: (spec) => (isWhole(spec) ? "integer" : "decimal"),
  typescript: () => "number",
  control: "number",
  measures: ["classes", "numbers"],
  settles: "judgement",
  writtenAs: "numbers",
  isGood: ({ from, to }, value) => value > (from + to) / 2,
  step: stepOf,
  meanings: ({ scale = {} }) =>
    Object.entries(scale)
      .sort(([a], [b]) => Number(a) - Number(b))
      .map(([name, about]) => ({ name, about })),
  weaknesses: ({ from, to, scale }) => {
    const missing = [from, to].filter((point) => scale?.[String(point)] === undefined).map(String);
    return missing.length > 0 ? [{ code: "bareScale", missing }] : [];
  },
};

const isWhole = (spec: ScoreSpec): boolean => Number.isInteger(spec.from) && Number.isInteger(stepOf(spec));

/** Whether a number is a point of the scale; decimal steps are compared with a millionth's tolerance. */
function isPoint(spec: ScoreSpec, value: number): boolean {
  const steps = (value - spec.from) / stepOf(spec);
  return value >= spec.from && value <= spec.to && Math.abs(steps - Math.round(steps)) < 1e-6;
}

function pointName(spec: ScoreSpec): string {
  const step = stepOf(spec);
  return `${isWhole(spec) ? "a whole number" : "a number"} from ${spec.from} to ${spec.to}${step === 1 ? "" : ` in steps of ${step}`}`;
}

/** `4`, `4.0` and, on a scale to 5, `4/5` or `4 out of 5`. */
function scoreIn(spec: ScoreSpec, text: string): number | undefined {
  const ratio = /^\s*(-?[\d.]+)\s*(?:\/|out of)\s*(\d+)\s*$/i.exec(text);
  if (ratio) return Number(ratio[2]) === spec.to ? Number(ratio[1]) : undefined;
  return plainNumber(text);
}
