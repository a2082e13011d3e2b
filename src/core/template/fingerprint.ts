import { canonicalJson, quickHash, sha256Hex, type Json } from "../ground/index.js";
import type { Prepared } from "./prepare.js";

/** What of a model and its settings decides an answer. */
export interface ModelIdentity {
  /** Who serves the model: the address of its endpoint, or `standin`. */
  readonly host: string;
  readonly id: string;
}

/** Makes the fingerprints of a template asked of one model: SHA-256 over canonical JSON (RFC 8785). */
export type Fingerprinter = (inputs: Readonly<Record<string, Json>>, ask?: number) => string;

/** SHA-256 of a text's UTF-8 bytes in hexadecimal; a platform's own is faster than the portable one. */
export type Sha256 = (text: string) => string;

/** What a fingerprint rests on, piece by piece: the template, references, background, the model, each input. */
export function basisOf(
  prepared: Pick<Prepared, "basis">,
  model: ModelIdentity,
  inputs: Readonly<Record<string, Json>>,
): Record<string, string> {
  const basis: Record<string, string> = { ...prepared.basis };
  basis["model"] = `${model.id} of ${model.host}`;
  for (const name in inputs)
    basis[`input ${name}`] = quickHash(typeof inputs[name] === "string" ? inputs[name] : canonicalJson(inputs[name]!));
  return basis;
}

/** The pieces in which the basis of an answer differs from that of a question asked now: `template`, `model`, `input note` … */
export const changesBetween = (before: Readonly<Record<string, string>>, now: Readonly<Record<string, string>>): string[] =>
  [...new Set([...Object.keys(before), ...Object.keys(now)])].filter((piece) => before[piece] !== now[piece]);

/**
 * The part that all rows share is hashed once; a row adds its inputs. `ask` numbers repeated questions about the
 * same thing, so that an answer asked for again is kept apart; 0 is the first.
 *
 * @param others the further models that the template names, by name.
 */
export function fingerprinter(
  prepared: Prepared,
  model: ModelIdentity,
  sha256: Sha256 = sha256Hex,
  others: Readonly<Record<string, ModelIdentity>> = {},
): Fingerprinter {
  const { temperature, seed } = prepared.template.model ?? {};
  const further = Object.entries(others).map(([name, { host, id }]) => ({ name, host, id }));
  const base = sha256Hex(
    canonicalJson({
      template: prepared.fingerprint,
      host: model.host,
      model: model.id,
      others: further.length > 0 ? further : undefined,
      temperature,
      seed,
      maxTokens: prepared.maxTokens,
    }),
  );
  return (inputs, ask = 0) => sha256(`${base}${ask === 0 ? "" : `#${ask}`}${canonicalJson(inputs)}`);
}
