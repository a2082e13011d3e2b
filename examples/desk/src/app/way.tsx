import { Link, useNavigate } from "@tanstack/react-router";
import type { CallReport } from "yoroshi/client";
import { percent, plural, range } from "../parts/words.js";
import { useKeys } from "./keys.js";
import { useReading } from "./server.js";

export type Station = "write" | "try" | "trial" | "fill" | "review";
type WayRead = CallReport<"readWay">;

interface Stop {
  readonly station: Station;
  readonly to: string;
  readonly params: Record<string, string>;
  readonly hash?: string;
  /** How far it is inked, 0 to 1; begun while it is not whole. */
  readonly share: number;
  readonly figure: string;
}

/** The order of work as one line across every page, inked as far as the work has come. It is the navigation, too. */
export function Way({
  plan,
  template,
  station,
  isReading,
}: {
  readonly plan?: string | undefined;
  readonly template?: string | undefined;
  readonly station?: Station | undefined;
  readonly isReading: boolean;
}) {
  const { data } = useReading("readWay", { plan: plan ?? "" }, { enabled: plan !== undefined && !isReading, keep: true });
  const navigate = useNavigate();
  const stops = plan === undefined ? stopsOfTemplate(template) : stopsOf(plan, template ?? data?.templates[0]?.template, data);
  useKeys(
    Object.fromEntries(
      stops.map((stop, index) => [
        String(index + 1),
        () => void navigate({ to: stop.to, params: stop.params, ...(stop.hash ? { hash: stop.hash } : {}) } as never),
      ]),
    ),
  );
  if (stops.length === 0) return <div className="no-way" />;
  return (
    <nav aria-label="The order of work">
      <ol className="way">
        {stops.map((stop) => (
          <li key={stop.station}>
            <Link
              to={stop.to}
              params={stop.params as never}
              {...(stop.hash ? { hash: stop.hash } : {})}
              search={
                (stop.station === "write" || stop.station === "try" || stop.station === "trial" ? (plan ? { plan } : {}) : {}) as never
              }
              className={stop.share < 1 ? "begun" : undefined}
              activeProps={{ "aria-current": stop.station === station ? "page" : "false" }}
              aria-current={stop.station === station ? "page" : "false"}
            >
              <i className="done" style={{ width: `${Math.round(stop.share * 100)}%` }} />
              <b>{stop.station}</b>
              <small>{stop.figure}</small>
            </Link>
          </li>
        ))}
      </ol>
    </nav>
  );
}

function stopsOf(plan: string, template: string | undefined, way: WayRead | undefined): Stop[] {
  const to = template === undefined ? "/plan/$plan" : "/template/$template";
  const params: Record<string, string> = template === undefined ? { plan } : { template };
  const version = way?.templates.find((one) => one.template === template)?.version;
  const { trial, fill, review } = way ?? {};
  return [
    { station: "write", to, params, share: version ? 1 : 0, figure: version ? `version ${version}` : "" },
    { station: "try", to, params, hash: "try", share: version ? 1 : 0, figure: "a row" },
    {
      station: "trial",
      to: template === undefined ? "/plan/$plan" : "/trials/$template",
      params,
      share: trial ? 1 : 0,
      figure: trial ? `${trial.part} ${percent(trial.accuracy)} right (${range(trial.interval)})` : way ? "none yet" : "",
    },
    {
      station: "fill",
      to: "/table/$plan",
      params: { plan },
      share: fill && fill.rows > 0 ? fill.done / fill.rows : 0,
      figure: fill ? `${fill.done} of ${plural(fill.rows, "row")}` : "",
    },
    {
      station: "review",
      to: "/review/$plan",
      params: { plan },
      share: review && fill && fill.done > 0 ? Math.max(0, 1 - (review.held + review.check) / fill.done) : 0,
      figure: review ? (review.held > 0 ? `${review.held} held` : review.check > 0 ? `${review.check} to check` : "nothing held") : "",
    },
  ];
}

const stopsOfTemplate = (template: string | undefined): Stop[] =>
  template === undefined
    ? []
    : [
        { station: "write", to: "/template/$template", params: { template }, share: 1, figure: "" },
        { station: "try", to: "/template/$template", params: { template }, hash: "try", share: 1, figure: "" },
        { station: "trial", to: "/trials/$template", params: { template }, share: 0, figure: "" },
      ];
