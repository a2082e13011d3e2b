import { readKept } from "../ground/index.js";
import type { Ledger } from "../ledger/index.js";
import { TRIAL_REPORT } from "./report-form.js";
import type { TrialReport } from "./report.js";

/** A trial that the ledger knows, and when it began (milliseconds since 1970). */
export interface RecordedTrial {
  readonly at: number;
  readonly report: TrialReport;
}

const MOST = 200;

/**
 * The newest trials of a template, newest first; those that broke off have no report and are left out.
 *
 * @example
 * ```ts
 * import { recordedTrials } from "yoroshi";
 *
 * // `setup` as in the example of `fill`.
 * for (const { at, report } of await recordedTrials(setup.ledger, "tone")) console.log(new Date(at), report.version, report.parts);
 * ```
 */
export async function recordedTrials(ledger: Ledger, template: string, most: number = MOST): Promise<RecordedTrial[]> {
  const runs = await ledger.runs.find("trial", template, most);
  return runs.flatMap(({ startedAt, tally }) => {
    const report = readKept(TRIAL_REPORT, tally);
    return report ? [{ at: startedAt, report }] : [];
  });
}

/** The newest trial of the template with another version (or with the named one) on the same samples file and model, to compare with. */
export async function earlierTrial(ledger: Ledger, report: TrialReport, version?: number): Promise<TrialReport | undefined> {
  const found = (await recordedTrials(ledger, report.template)).find(
    ({ report: other }) =>
      other.file === report.file &&
      other.model === report.model &&
      other.sealed.graded === report.sealed.graded &&
      (version === undefined ? other.version !== report.version : other.version === version),
  );
  return found?.report;
}
