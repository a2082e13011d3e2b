import * as z from "zod/mini";
import { keep, readKept, type StoredForm } from "../ground/index.js";
import type { HeldCells, Ledger } from "../ledger/index.js";
import { templateSteps, type Plan } from "../plan/index.js";

/** A random check has shown that values may go into the table: those of a version and a model that stood when it was drawn. */
export interface Release {
  readonly step: string;
  readonly columns: readonly string[];
  readonly version: number;
  readonly model: string;
  /** When the check was drawn, milliseconds since 1970: values that came later are a population of their own. */
  readonly drawn: number;
  readonly check: string;
  readonly by: string;
  readonly at: number;
}

const RELEASES: StoredForm<{ readonly releases: readonly Release[] }> = {
  format: 1,
  schema: z.object({
    releases: z.array(
      z.object({
        step: z.string(),
        columns: z.array(z.string()),
        version: z.number(),
        model: z.string(),
        drawn: z.number(),
        check: z.string(),
        by: z.string(),
        at: z.number(),
      }),
    ),
  }),
};

const noteName = (plan: string): string => `released:${plan}`;

export async function readReleases({ facts }: Pick<Ledger, "facts">, plan: string): Promise<readonly Release[]> {
  return readKept(RELEASES, await facts.get(noteName(plan)))?.releases ?? [];
}

export async function keepRelease({ facts }: Pick<Ledger, "facts">, plan: string, release: Release): Promise<void> {
  const before = (await readReleases({ facts }, plan)).filter(({ check }) => check !== release.check);
  await facts.set(noteName(plan), keep(RELEASES, { releases: [...before, release] }));
}

/** Of columns, those whose held values are not among those that were released. */
export function stillUnreleased(
  releases: readonly Release[],
  step: string,
  { version, model, since }: HeldCells,
  columns: readonly string[],
): string[] {
  const mine = releases.filter((one) => one.step === step && one.version === version && one.model === model && since <= one.drawn);
  return columns.filter((column) => !mine.some((one) => one.columns.includes(column)));
}

/** The columns of a step that stay out of the table until a check shows that they may go in. */
export function unreleasedColumns(plan: Plan, step: string): string[] {
  const { release } = plan.review ?? {};
  const found = release && templateSteps(plan).find(({ name }) => name === step);
  if (!found) return [];
  return Object.keys(found.step.fill).filter((column) => release.columns === undefined || release.columns.includes(column));
}
