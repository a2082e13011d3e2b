import { SingleBar } from "cli-progress";
import { formatMoney, groupDigits, toMicros } from "../../core/ground/index.js";
import type { FillPlanEvent } from "../../jobs/index.js";

type Progress = Extract<FillPlanEvent, { type: "progress" }>["progress"];
import { duration, note } from "./print.js";

const PLAIN_EVERY_MS = 5_000;
const REDRAW_MS = 100;

/** Shows how a fill goes on: rows, rate, time left, spend. A bar on a terminal, a line now and then elsewhere. */
export function fillProgress(currency: string, shown: boolean): { update(progress: Progress): void; stop(): void } {
  if (!shown) return { update: () => undefined, stop: () => undefined };
  const began = Date.now();
  const line = ({
    share,
    rows,
    asked,
    failed,
    spent,
  }: Progress): { rows: string; rate: string; left: string; spent: string; failed: string } => {
    const elapsed = Date.now() - began;
    return {
      rows: groupDigits(rows),
      rate: elapsed > 0 ? ((asked * 1000) / elapsed).toFixed(1) : "0",
      left: share > 0.02 && share < 1 ? `${duration((elapsed / share) * (1 - share))} left` : share >= 1 ? "last requests" : "",
      spent: formatMoney(toMicros(spent), currency),
      failed: failed > 0 ? ` · ${failed} failed` : "",
    };
  };
  let drawn = 0;
  if (!process.stderr.isTTY) {
    let last = Date.now();
    return {
      update: (progress) => {
        if (Date.now() - last < PLAIN_EVERY_MS) return;
        last = Date.now();
        const { rows, rate, left, spent, failed } = line(progress);
        note(`${rows} rows · ${rate} asked/s · ${left} · ${spent}${failed}`);
      },
      stop: () => undefined,
    };
  }
  const bar = new SingleBar({
    format: "  {bar} {rows} rows · {rate} asked/s · {left} · {spent}{failed}",
    barCompleteChar: "━",
    barIncompleteChar: "─",
    barsize: 24,
    hideCursor: true,
    clearOnComplete: true,
    stream: process.stderr,
  });
  bar.start(1000, 0, { rows: "0", rate: "0", left: "", spent: formatMoney(0, currency), failed: "" });
  return {
    update: (progress) => {
      if (Date.now() - drawn < REDRAW_MS) return;
      drawn = Date.now();
      bar.update(Math.round(progress.share * 1000), line(progress));
    },
    stop: () => bar.stop(),
  };
}
