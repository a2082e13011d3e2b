import * as z from "zod/mini";
import { keep, readKept, type StoredForm } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";

/** A person says that a version of a template is good for work. */
export interface Approval {
  readonly version: number;
  readonly by: string;
  readonly at: number;
}

const APPROVALS: StoredForm<{ readonly approvals: readonly Approval[] }> = {
  format: 1,
  schema: z.object({ approvals: z.array(z.object({ version: z.number(), by: z.string(), at: z.number() })) }),
};

const noteName = (template: string): string => `approved:${template}`;

/** The approvals of a template's versions, oldest first; the newest is the one that `version: approved` means. */
export async function readApprovals({ facts }: Pick<Ledger, "facts">, template: string): Promise<readonly Approval[]> {
  return readKept(APPROVALS, await facts.get(noteName(template)))?.approvals ?? [];
}

export async function keepApproval({ facts }: Pick<Ledger, "facts">, template: string, approval: Approval): Promise<void> {
  const approvals = [...(await readApprovals({ facts }, template)), approval];
  await facts.set(noteName(template), keep(APPROVALS, { approvals }));
}
