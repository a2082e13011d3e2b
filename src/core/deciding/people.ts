import type { FillSetup } from "../cells/index.js";
import type { DecisionRecord } from "../ledger/index.js";
import { fleissKappa, krippendorffAlpha, quantile } from "../statistics/index.js";

/** How often people and a model say the same. */
export interface TogetherFigures {
  /** Values that both judged. */
  readonly judged: number;
  readonly same: number;
  /** TogetherFigures beyond chance (Fleiss 1971, Krippendorff 2011); `null` where it cannot be told. */
  readonly kappa: number | null;
  readonly alpha: number | null;
}

/** What people decided about the answers of one version and model. */
export interface VersionShare {
  readonly step: string;
  readonly version: number | null;
  readonly model: string | null;
  /** Values that were decided; how many of them were changed or rejected. */
  readonly decided: number;
  readonly changed: number;
  /** Of blind decisions, which were made before the value was seen, how many said the same. */
  readonly blind: { readonly judged: number; readonly same: number };
}

/** One person's decisions. */
export interface Reviewer {
  /** The person, or `reviewer 1` … where names are left out. */
  readonly by: string;
  readonly decided: number;
  readonly accepted: number;
  readonly changed: number;
  readonly rejected: number;
  /** Milliseconds for each row, half of them quicker; `null` where no time was taken. */
  readonly medianMs: number | null;
}

/** Who agrees with whom. */
export interface PeopleFigures {
  readonly reviewers: readonly Reviewer[];
  /** Where several judged the same value. */
  readonly together: TogetherFigures;
  readonly versions: readonly VersionShare[];
  /** Decisions that were taken back; they count for nothing else. */
  readonly undone: number;
}

const JUDGING: readonly DecisionRecord["how"][] = ["accept", "edit", "reject"];

/** What a person says a value should be. */
const saidOf = ({ how, value, given }: DecisionRecord): string =>
  how === "accept" ? `= ${String(value)}` : how === "edit" ? `= ${String(given)}` : "rejected";

/**
 * Who agrees with whom: reviewers with each other and with the model, by version; what was changed; how long it took.
 *
 * @param names tell people's names; otherwise they are numbered.
 */
export async function peopleFigures(
  { plan, ledger }: FillSetup,
  { names = false }: { readonly names?: boolean } = {},
): Promise<PeopleFigures> {
  const people = new Map<string, Counted>();
  const versions = new Map<string, { -readonly [Key in keyof VersionShare]: VersionShare[Key] }>();
  // Of each person the newest word about a value counts.
  const said = new Map<string, Map<string, DecisionRecord>>();
  let undone = 0;
  for await (const some of ledger.decisions.all(plan.name)) {
    for (const one of some) {
      if (!JUDGING.includes(one.how)) continue;
      if (one.undone) {
        undone++;
        continue;
      }
      const about = JSON.stringify([one.step, one.key, one.column, one.judged]);
      said.set(about, (said.get(about) ?? new Map<string, DecisionRecord>()).set(one.by, one));
    }
  }
  for (const by of said.values())
    for (const one of by.values()) {
      count(people, one);
      countVersion(versions, one);
    }
  const rows = [...said.values()].filter((by) => by.size > 1).map((by) => [...by.values()].map(saidOf));
  return {
    reviewers: [...people].map(([by, { acts, ...figures }], index) => ({
      by: names ? by : `reviewer ${index + 1}`,
      ...figures,
      medianMs:
        acts.size > 0
          ? Math.round(
              quantile(
                [...acts.values()].sort((a, b) => a - b),
                0.5,
              ),
            )
          : null,
    })),
    together: {
      judged: rows.length,
      same: rows.filter((row) => new Set(row).size === 1).length,
      kappa: fleissKappa(rows),
      alpha: krippendorffAlpha(rows, "nominal"),
    },
    versions: [...versions.values()].sort((a, b) => (a.version ?? 0) - (b.version ?? 0)),
    undone,
  };
}

interface Counted {
  decided: number;
  accepted: number;
  changed: number;
  rejected: number;
  /** How long each act took: one for a row, whatever its columns. */
  readonly acts: Map<string, number>;
}

function count(people: Map<string, Counted>, { by, how, act, tookMs }: DecisionRecord): void {
  const person = people.get(by) ?? { decided: 0, accepted: 0, changed: 0, rejected: 0, acts: new Map<string, number>() };
  people.set(by, person);
  person.decided++;
  person[how === "accept" ? "accepted" : how === "edit" ? "changed" : "rejected"]++;
  if (tookMs !== undefined) person.acts.set(act, tookMs);
}

function countVersion(
  versions: Map<string, { -readonly [Key in keyof VersionShare]: VersionShare[Key] }>,
  { step, version, model, how, blind }: DecisionRecord,
): void {
  const name = JSON.stringify([step, version, model]);
  const share = versions.get(name) ?? {
    step,
    version: version ?? null,
    model: model ?? null,
    decided: 0,
    changed: 0,
    blind: { judged: 0, same: 0 },
  };
  versions.set(name, share);
  share.decided++;
  if (how !== "accept") share.changed++;
  if (blind) share.blind = { judged: share.blind.judged + 1, same: share.blind.same + (how === "accept" ? 1 : 0) };
}
