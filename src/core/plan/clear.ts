import { canonicalJson, sha256Hex, type Json } from "../ground/index.js";
import { keptSchemaOf, kindOf, type Reading, type Shaped } from "../kinds/index.js";
import type { NamedShape } from "../template/index.js";
import { readCondition, type Condition } from "./condition.js";
import type { TemplateStep } from "./plan.js";

/** A rule that settles rows without a model, ready to be tried. */
export interface ReadyRule {
  /** Its number in the plan, from 1. */
  readonly number: number;
  readonly condition: Condition;
  readonly parts: Readonly<Record<string, Json>>;
  /** Stands in the ledger where an answer's fingerprint would. */
  readonly fingerprint: string;
}

/** The rules of a step, their values typed by the answer's parts. */
export function readyRules(step: TemplateStep, parts: readonly NamedShape[]): ReadyRule[] {
  return (step.clear ?? []).map((rule, index) => {
    const given = Object.fromEntries(
      Object.entries(rule.give).map(([name, value]) => {
        const part = parts.find((candidate) => candidate.name === name);
        const reading = part && givenValue(part, value);
        return [name, reading?.ok ? reading.value : value];
      }),
    );
    return {
      number: index + 1,
      condition: readCondition(rule.when).condition!,
      parts: given,
      fingerprint: sha256Hex(`rule ${canonicalJson(given)}`),
    };
  });
}

/** A value that a rule states: as it is kept, or as a cell would have it. */
export function givenValue(part: Shaped, value: Json): Reading {
  const kept = keptSchemaOf(part.spec, kindOf).safeParse(value);
  if (kept.success) return { ok: true, value: kept.data };
  return typeof value === "string" ? part.fromCell(value) : part.read(value);
}
