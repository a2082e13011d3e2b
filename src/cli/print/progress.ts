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

type Spread = Extract<FillPlanEvent, { type: "spread" }>["progress"];

/** Nobody works: after so long it is said what to do. */
const NOBODY_MS = 3_000;

/** Shows how far workers are with a spread fill: a line now and then. */
export function spreadProgress(shown: boolean, isOpen: boolean): { update(progress: Spread): void } {
  if (!shown) return { update: () => undefined };
  const began = Date.now();
  let [last, toldNobody] = [0, false];
  return {
    update: ({ planned, isPlanned, done, asked, again, workers }) => {
      const now = Date.now();
      if (workers === 0 && done < planned && !toldNobody && now - began > NOBODY_MS && isOpen) {
        toldNobody = true;
        note(
          "Nobody works yet. Start `yoroshi work` here or on another machine with the same project; Ctrl-C ends the fill, and keeps what is answered.",
        );
      }
      const isLast = isPlanned && done === planned;
      if (now - last < PLAIN_EVERY_MS && !isLast) return;
      last = now;
      note(
        `${groupDigits(done)} of ${groupDigits(planned)}${isPlanned ? "" : " or more"} chunks done · ${groupDigits(asked)} rows asked · ${workers === 1 ? "1 worker" : `${workers} workers`}${again > 0 ? ` · ${again} taken again` : ""}`,
      );
    },
  };
}
