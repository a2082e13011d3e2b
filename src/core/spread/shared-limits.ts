import { placesOf, takeShare } from "../asking/index.js";
import { modelsOf, workOf, type FillSetup } from "../cells/index.js";
import { atOnce, type AtOnce, type Clock } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import type { Model } from "../model/index.js";
import { DEFAULT_AT_ONCE } from "../plan/index.js";
import type { WorkerRecord } from "./records.js";
import { SharedPlaces } from "./shared-places.js";

interface Shared {
  /** Plans at work here that it counts for. */
  readonly plans: Set<string>;
  /** Takes this process's part, among so many. */
  take(among: number): Promise<void>;
  end(): Promise<void>;
}

/**
 * The limits of models and plans that this process shares with others: requests and tokens a minute in equal parts, requests at once by
 * places that are leased. Whoever joins says so first, and asks once the others have heard of it.
 */
export class SharedLimits {
  readonly #shared = new Map<string, Shared>();
  /** By plan: one run of it may still be left while the next has begun, and both are below its limit together. */
  readonly #places = new Map<string, AtOnce>();

  constructor(
    readonly ledger: Pick<Ledger, "leases">,
    readonly clock: Clock,
    /** Most requests at once of this process for a plan, whatever is left. */
    readonly ownAtOnce?: number,
  ) {}

  /** The names of what is shared, for the others to read. */
  get names(): readonly string[] {
    return [...this.#shared.keys()];
  }

  /** Shares what a plan and its models are limited by. Gives the places for all askings of the plan here. */
  join(setup: FillSetup): AtOnce {
    const { plan } = setup;
    for (const model of modelsOf(workOf(setup))) this.#add(`model ${model.id} of ${model.host}`, plan.name, () => this.#ofModel(model));
    const known = this.#places.get(plan.name);
    if (known) return known;
    const places = atOnce(this.ownAtOnce ?? plan.limits.atOnce ?? DEFAULT_AT_ONCE);
    this.#places.set(plan.name, places);
    const limit = plan.limits.atOnce;
    if (limit !== undefined)
      this.#add(`plan ${plan.name}`, plan.name, (name) => {
        const shared = new SharedPlaces(this.ledger.leases, this.clock, places, name, limit);
        return { take: (among) => shared.share(among, this.ownAtOnce), end: () => shared.end(limit) };
      });
    return places;
  }

  #add(name: string, plan: string, make: (name: string) => Omit<Shared, "plans">): void {
    const known = this.#shared.get(name);
    if (known) known.plans.add(plan);
    else this.#shared.set(name, { plans: new Set([plan]), ...make(name) });
  }

  #ofModel(model: Model): Omit<Shared, "plans"> {
    const { clock } = this;
    const limit = model.limits?.atOnce;
    const places = placesOf(model, clock);
    const shared =
      places && limit !== undefined
        ? new SharedPlaces(this.ledger.leases, clock, places, `model ${model.id} of ${model.host}`, limit)
        : undefined;
    return {
      async take(among) {
        takeShare(model, clock, 1 / Math.max(1, among));
        await shared?.share(among);
      },
      async end() {
        takeShare(model, clock, 1);
        await shared?.end(limit!);
      },
    };
  }

  /** Takes this process's part, given who else is at work. */
  async share(others: readonly WorkerRecord[]): Promise<void> {
    for (const [name, { take }] of this.#shared) await take(1 + others.filter(({ shares }) => shares?.includes(name)).length);
  }

  /** Nothing of a plan is asked here any more. */
  async leave(plan: string): Promise<void> {
    this.#places.delete(plan);
    for (const [name, shared] of this.#shared) {
      shared.plans.delete(plan);
      if (shared.plans.size > 0) continue;
      this.#shared.delete(name);
      await shared.end();
    }
  }
}
