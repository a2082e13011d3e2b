import { YoroshiError, type Clock, type Json } from "../../core/index.js";
import type { Store } from "./store.js";

/** A project, as far as its ledger has to know it. */
export interface LedgerOwner {
  /** By which it knows its ledger; none where it has not used one yet. */
  readonly id: string | undefined;
  /** The names of its plans. */
  plans(): Promise<readonly string[]>;
  /** Told the id of the ledger, once it is known to be the project's. */
  keep(id: string): void;
}

const FACT = "ledger:owner";
/** Plans that a message names. */
const FEW = 5;

interface Kept {
  readonly id: string;
  readonly plans: readonly string[];
}

/**
 * Two projects in one schema would take each other's cells for their own. A project that has used the ledger knows it by its id; one that
 * comes anew, on another machine, has at least one plan in common with those that are there.
 *
 * @throws YoroshiError `ledgerBroken`.
 */
export async function requireOwner(store: Store, owner: LedgerOwner, place: string, clock: Clock): Promise<void> {
  const facts = `${store.schema}.facts`;
  const plans = await owner.plans();
  const own: Kept = { id: owner.id ?? `${clock.now().toString(36)}-${Math.floor(clock.random() * 1e9).toString(36)}`, plans };
  await store.read(`INSERT INTO ${facts} (name, value) VALUES ($1, $2) ON CONFLICT (name) DO NOTHING`, [FACT, JSON.stringify(own)]);
  const [row] = await store.read(`SELECT value FROM ${facts} WHERE name = $1`, [FACT]);
  const kept = JSON.parse(row!["value"]!) as Kept & Json;
  const isShared = owner.id === undefined && kept.plans.some((plan) => plans.includes(plan));
  const isEmpty = owner.id === undefined && (kept.plans.length === 0 || plans.length === 0);
  if (kept.id !== own.id && !isShared && !isEmpty)
    throw new YoroshiError("ledgerBroken", {
      file: place,
      problem: `it is another project's, with the plans ${kept.plans.slice(0, FEW).join(", ")}. Give this one a schema of its own in yoroshi.yaml: \`ledger: { database: …, schema: … }\``,
    });
  const more = plans.filter((plan) => !kept.plans.includes(plan));
  if (more.length > 0)
    await store.read(`UPDATE ${facts} SET value = $2 WHERE name = $1`, [
      FACT,
      JSON.stringify({ id: kept.id, plans: [...kept.plans, ...more] }),
    ]);
  if (owner.id !== kept.id) owner.keep(kept.id);
}
