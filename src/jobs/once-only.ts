import { dayOf, YoroshiError, type Json } from "../core/index.js";
import type { Project } from "../project/index.js";

/** What was answered under a key. */
interface Once {
  /** A hash of the request. */
  readonly request: string;
  readonly answer: Json;
}

const inFlight = new WeakMap<Project, Map<string, { readonly request: string; readonly answer: Promise<unknown> }>>();

/**
 * Does something once for each key: who comes with the same key and the same request again gets the same answer, today and tomorrow (UTC),
 * also from another process. What fails is not kept.
 *
 * @throws YoroshiError `keyReused` where the key came with another request before; whatever `act` throws.
 */
export async function onceOnly<T>(project: Project, key: string, request: string, act: () => Promise<T>): Promise<T> {
  const flights = inFlight.get(project) ?? new Map<string, { request: string; answer: Promise<unknown> }>();
  inFlight.set(project, flights);
  const flying = flights.get(key);
  if (flying) return same(flying.request, request, await flying.answer) as T;
  const answer = doOnce(project, key, request, act).finally(() => flights.delete(key));
  flights.set(key, { request, answer });
  return answer;
}

async function doOnce<T>(project: Project, key: string, request: string, act: () => Promise<T>): Promise<T> {
  const { facts } = project.ledger();
  const today = dayOf(project.clock.now());
  for (const day of [today, today - 1]) {
    const known = (await facts.get(factOf(day, key))) as Once | null | undefined;
    if (known) return same(known.request, request, known.answer) as T;
  }
  await forget(project, today - 2);
  const answer = await act();
  await facts.set(factOf(today, key), { request, answer: answer as Json });
  return answer;
}

const factOf = (day: number, key: string): string => `once:${day}:${key}`;

/** What was answered longer ago is forgotten, a day at a time. */
async function forget(project: Project, day: number): Promise<void> {
  const { facts } = project.ledger();
  for (const name of (await facts.find(`once:${day}:`)).keys()) await facts.set(name, null);
}

function same(known: string, request: string, answer: unknown): unknown {
  if (known !== request) throw new YoroshiError("keyReused", {});
  return answer;
}
