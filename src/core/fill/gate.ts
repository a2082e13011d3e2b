import type { Ledger } from "../ledger/index.js";
import type { TrialReport } from "../trial/index.js";
import type { Plan } from "./plan.js";

/** Whether a plan's gate is open, and the figure that it rests on. */
export type GateReading =
  | { readonly open: true }
  | { readonly open: false; readonly reason: string };

/**
 * Holds a plan's gate against the newest trial of the template's present version with the model that the plan asks.
 *
 * @param asked template, version and model as a fill would use them.
 */
export async function readGate({ gate }: Plan, ledger: Ledger, asked: { readonly template: string; readonly version: number; readonly model: string }): Promise<GateReading> {
  if (!gate) return { open: true };
  const wanted = `${(gate.accuracyAtLeast * 100).toFixed(1)} % right on ${gate.part}`;
  const runs = await ledger.runs("trial", asked.template, 200);
  const reports = runs.flatMap((run) => (run.tally ? [run.tally as unknown as TrialReport] : []));
  const report = reports.find((one) => one.version === asked.version && one.model === asked.model && one.parts.some(({ part }) => part === gate.part));
  if (!report) return { open: false, reason: `the gate wants ${wanted}, and version ${asked.version} of ${asked.template} has not been tried with ${asked.model} yet` };
  const { accuracy, interval } = report.parts.find(({ part }) => part === gate.part)!;
  if (accuracy !== null && accuracy >= gate.accuracyAtLeast) return { open: true };
  return { open: false, reason: `the gate wants ${wanted}; the newest trial of version ${asked.version} shows ${((accuracy ?? 0) * 100).toFixed(1)} % (${(interval.low * 100).toFixed(1)} to ${(interval.high * 100).toFixed(1)})` };
}
