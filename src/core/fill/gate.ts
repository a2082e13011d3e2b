import { askingOf, type FillSetup } from "../cells/index.js";
import { recordedTrials } from "../trial/index.js";

/** Whether a plan's gate is open, and the figure that it rests on. */
export type GateReading = { readonly open: true } | { readonly open: false; readonly template: string; readonly reason: string };

/**
 * Holds a plan's gate against the newest trial of the template's present version with the model that the plan asks.
 *
 * @example
 * ```ts
 * import { readGate } from "yoroshi";
 *
 * // `setup` as in the example of `fill`, whose plan has no gate.
 * await readGate(setup); // => { open: true }
 * ```
 */
export async function readGate({ plan, ledger, asking }: Pick<FillSetup, "plan" | "ledger" | "asking">): Promise<GateReading> {
  const { gate } = plan;
  if (!gate) return { open: true };
  const { prepared, version, model } = askingOf({ plan, asking }, gate.step);
  const asked = { template: prepared.template.name, version, model: model.id };
  const wanted = `${(gate.accuracyAtLeast * 100).toFixed(1)} % right on ${gate.part}`;
  const report = (await recordedTrials(ledger, asked.template)).find(
    ({ report: one }) => one.version === asked.version && one.model === asked.model && one.parts.some(({ part }) => part === gate.part),
  )?.report;
  if (!report)
    return {
      open: false,
      template: asked.template,
      reason: `the gate wants ${wanted}, and version ${asked.version} of ${asked.template} has not been tried with ${asked.model} yet`,
    };
  const { accuracy, interval } = report.parts.find(({ part }) => part === gate.part)!;
  if (accuracy !== null && accuracy >= gate.accuracyAtLeast) return { open: true };
  return {
    open: false,
    template: asked.template,
    reason: `the gate wants ${wanted}; the newest trial of version ${asked.version} shows ${((accuracy ?? 0) * 100).toFixed(1)} % (${(interval.low * 100).toFixed(1)} to ${(interval.high * 100).toFixed(1)})`,
  };
}
