import { canonicalJson, plainJson } from "../core/index.js";

/** One thing that an adapter must do. `run` throws where it does not; a runner of any kind can call it. */
export interface ContractCase {
  readonly name: string;
  /** Rejects with `ContractBroken` where the adapter does otherwise. */
  run(): Promise<void>;
}

/** What an adapter did instead of what its contract says. */
export class ContractBroken extends Error {
  override readonly name = "ContractBroken";
}

/** Holds a value against another by their content; a member that is `undefined` is none. */
export function expectSame(what: string, found: unknown, expected: unknown): void {
  const [is, wanted] = [textOf(found), textOf(expected)];
  if (is !== wanted) throw new ContractBroken(`${what}: expected ${wanted}, found ${is}.`);
}

export function expectThat(what: string, holds: boolean): void {
  if (!holds) throw new ContractBroken(`${what}.`);
}

export async function expectRejection(what: string, running: () => Promise<unknown>): Promise<void> {
  const failed = await running().then(
    () => false,
    () => true,
  );
  if (!failed) throw new ContractBroken(`${what}: it should have failed.`);
}

function textOf(value: unknown): string {
  if (value instanceof Map) return textOf(Object.fromEntries(value));
  return value === undefined ? "nothing" : canonicalJson(plainJson({ value: withoutHoles(value) }));
}

/** JSON has no `undefined`: a hole in a list shows as null. */
function withoutHoles(value: unknown): unknown {
  if (Array.isArray(value)) return value.map((one) => (one === undefined ? null : withoutHoles(one)));
  if (value === null || typeof value !== "object") return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .map(([name, one]) => [name, withoutHoles(one)]),
  );
}
