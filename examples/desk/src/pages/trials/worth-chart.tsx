import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { money, percent, range } from "../../parts/words.js";
import type { TrialLine } from "./contestants.js";

const WIDTH = 560;
const HEIGHT = 190;
const LEFT = 46;
const BOTTOM = 30;
const TOP = 14;

/**
 * What a thousand rows cost, and how many answers are right: a contestant is worth its money where none that costs less is right as often.
 * The figures stand in the table above, so the picture itself is told in one sentence.
 */
export function WorthChart({
  lines,
  part,
  currency,
}: {
  readonly lines: readonly TrialLine[];
  readonly part: string | undefined;
  readonly currency: string;
}) {
  if (part === undefined) return null;
  const points = lines.flatMap((line) => {
    const accuracy = line.parts[part];
    const interval = line.intervals[part];
    return typeof accuracy === "number" && interval ? [{ ...line, accuracy, interval }] : [];
  });
  if (points.length < 2) return null;
  const isWorth = (one: (typeof points)[number]): boolean =>
    !points.some((other) => other !== one && other.accuracy >= one.accuracy && other.costPerThousand < one.costPerThousand);
  const x = scaleLinear([0, (max(points, ({ costPerThousand }) => costPerThousand) ?? 0) * 1.15 || 1], [LEFT, WIDTH - 90]).nice();
  const y = scaleLinear([0, 1], [HEIGHT - BOTTOM, TOP]);
  const told = points
    .map(
      (one) =>
        `version ${one.version}: ${percent(one.accuracy)} right at ${money(one.costPerThousand, currency)}${isWorth(one) ? "" : ", and another is as good for less"}`,
    )
    .join("; ");
  return (
    <figure className="worth">
      <figcaption>
        {part}: right answers, and what a thousand rows cost ({currency}). An open point: another is right as often for less.
      </figcaption>
      <svg width={WIDTH} height={HEIGHT} role="img" aria-label={told}>
        {[0, 0.25, 0.5, 0.75, 1].map((tick) => (
          <g key={tick}>
            <line className="grid" x1={LEFT} x2={WIDTH - 90} y1={y(tick)} y2={y(tick)} />
            <text className="q" x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
              {tick * 100} %
            </text>
          </g>
        ))}
        {x.ticks(5).map((tick) => (
          <text key={tick} className="q" x={x(tick)} y={HEIGHT - 10} textAnchor="middle">
            {tick}
          </text>
        ))}
        {points.map((one) => (
          <g key={one.run}>
            <title>{`version ${one.version}: ${percent(one.accuracy)} (${range(one.interval)})`}</title>
            <line
              className="span"
              x1={x(one.costPerThousand)}
              x2={x(one.costPerThousand)}
              y1={y(one.interval.low)}
              y2={y(one.interval.high)}
            />
            <circle className={isWorth(one) ? "dot" : "dot open"} cx={x(one.costPerThousand)} cy={y(one.accuracy)} r={4.5} />
            <text className={isWorth(one) ? "b" : "q"} x={x(one.costPerThousand) + 9} y={y(one.accuracy) + 4}>
              version {one.version}
            </text>
          </g>
        ))}
      </svg>
    </figure>
  );
}
