import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { didAct, failed } from "../../app/acts.js";
import { queries, server, useReading } from "../../app/server.js";
import { percent, plural, when } from "../../parts/words.js";

type Drift = CallReport<"readDrift">;
type Day = Drift["days"][number];

/** Whether answers are still what they were: days against a reference, sealed samples, what hosts say of themselves. */
export function DriftGloss({ plan }: { readonly plan: string }) {
  const { data, error } = useReading("readDrift", { plan });
  const [isBusy, setBusy] = useState(false);
  const act = async (says: string, work: () => Promise<unknown>): Promise<void> => {
    setBusy(true);
    try {
      await work();
      await queries.invalidateQueries({ queryKey: ["readDrift"] });
      didAct({ says });
    } catch (problem) {
      failed(problem);
    }
    setBusy(false);
  };
  if (error) return <p className="problem">{error.message}</p>;
  if (!data) return null;
  const alarm = data.days.find(({ day }) => day === data.alarm);
  return (
    <section>
      <h3>Drift</h3>
      <p className="quiet">
        <small>
          {data.reference
            ? `Days against ${data.reference.from} to ${data.reference.to}, ${plural(data.reference.answers, "answer")}. By chance one day in ${data.falseAlarmDays} is called moved.`
            : "Not enough days yet for a reference: fourteen with answers, 100 of them at least."}
        </small>
      </p>
      {alarm ? (
        <Alarm day={alarm} isBusy={isBusy} onSeen={() => void act("Seen; a plan that holds goes on.", () => server.seeDrift({ plan }))} />
      ) : null}
      {!alarm && data.days.length > 0 ? <p>Nothing has moved beyond chance.</p> : null}
      {data.sealed.map((one) => (
        <SealedLine key={`${one.template} ${one.model}`} one={one} />
      ))}
      {data.hosts.map(({ model, was, now, since, cells }) => (
        <p key={model} className="problem">
          The host of {model} says that it is now {now.model ?? now.system}; before it said {was.model ?? was.system}. Since {when(since)}:{" "}
          {plural(cells, "cell")}.
        </p>
      ))}
      <div className="acts">
        <button
          type="button"
          className="act"
          disabled={isBusy}
          onClick={() => void act("The sealed samples were asked again.", () => server.askSealed({ plan }))}
        >
          Ask the sealed samples again
        </button>
      </div>
    </section>
  );
}

function Alarm({ day, isBusy, onSeen }: { readonly day: Day; readonly isBusy: boolean; readonly onSeen: () => void }) {
  return (
    <div className="alarm">
      <p className="problem">The answers of {day.day} are not as those of the reference.</p>
      <ul className="moved">
        {day.columns
          .filter(({ isMoved }) => isMoved)
          .map(({ column, most, adjusted }) => (
            <li key={column}>
              <b>{column}</b>
              {most ? `: ${most.value || "blank"} ${percent(most.before)} → ${percent(most.now)}` : ""}{" "}
              <small className="quiet">p {adjusted < 0.001 ? "< 0.001" : adjusted.toFixed(3)}</small>
            </li>
          ))}
      </ul>
      <button type="button" className="act" disabled={isBusy} onClick={onSeen}>
        Seen
      </button>
    </div>
  );
}

function SealedLine({
  one: { template, model, at, samples, changed, changedThen, lost, won, verdict },
}: {
  readonly one: Drift["sealed"][number];
}) {
  const told =
    verdict === "first"
      ? `asked twice, ${changedThen} of ${samples} answered differently; later answers are held against these`
      : `${changed} of ${samples} answered otherwise than at first, ${lost} no longer right, ${won} right now`;
  return (
    <p className={verdict === "changed" ? "problem" : undefined}>
      Sealed samples of {template}, {model}, {when(at)}: {told}.{verdict === "changed" ? " The model is not what it was." : ""}
    </p>
  );
}
