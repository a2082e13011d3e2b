import { Link } from "@tanstack/react-router";
import { useRef } from "react";
import type { TableSearch } from "../pages/table/search.js";
import { savePicture } from "./save-picture.js";
import "./share-chart.css";

/** A value with how many rows have it; `before` is its share at another time. */
export interface ShareBar {
  readonly value: string;
  readonly rows: number;
  readonly share: number;
  readonly low?: number | undefined;
  readonly high?: number | undefined;
  readonly before?: number | undefined;
  /** The rows of the table that are meant. */
  readonly to?: TableSearch | undefined;
}

const ROW = 24;
const LEFT = 190;
const WIDTH = 640;
const RIGHT = 130;
const NAME_CHARS = 24;

const short = (name: string): string => (name.length > NAME_CHARS ? `${name.slice(0, NAME_CHARS - 1)}…` : name || "(blank)");
const percent = (share: number): string => `${(100 * share).toFixed(1)} %`;

/**
 * Shares as points with the line of their interval; an open point is the share before. Each line leads to its rows in the table, and the
 * chart can be taken away as SVG or PNG.
 */
export function ShareChart({
  plan,
  name,
  title,
  about,
  bars,
}: {
  readonly plan: string;
  /** Of the file that is saved. */
  readonly name: string;
  readonly title: string;
  readonly about: string;
  readonly bars: readonly ShareBar[];
}) {
  const chart = useRef<SVGSVGElement>(null);
  const most = Math.min(
    1,
    Math.max(0.1, Math.ceil(10 * Math.max(0, ...bars.flatMap(({ share, high, before }) => [high ?? share, before ?? 0]))) / 10),
  );
  const x = (share: number): number => LEFT + (Math.min(share, most) / most) * (WIDTH - LEFT - RIGHT);
  const height = 26 + ROW * bars.length + 8;
  return (
    <figure className="share-chart">
      <svg ref={chart} viewBox={`0 0 ${WIDTH} ${height}`} width={WIDTH} height={height} role="group" aria-label={`${title}. ${about}`}>
        <title>{title}</title>
        <desc>{about}</desc>
        {[0, most / 2, most].map((tick) => (
          <g key={tick} aria-hidden="true">
            <line className="tick" x1={x(tick)} x2={x(tick)} y1={20} y2={height - 6} />
            <text className="scale" x={x(tick)} y={13} textAnchor="middle">
              {Math.round(tick * 100)} %
            </text>
          </g>
        ))}
        {bars.map((bar, index) => (
          <Line key={bar.value} plan={plan} bar={bar} x={x} y={26 + ROW * index + ROW / 2} />
        ))}
      </svg>
      <figcaption>
        <small className="quiet">{about}</small>
        <span className="acts">
          {(["svg", "png"] as const).map((form) => (
            <button key={form} type="button" className="quiet-act" onClick={() => void savePicture(chart.current!, name, form)}>
              {form.toUpperCase()} <span className="vh">of {title}</span>
            </button>
          ))}
        </span>
      </figcaption>
    </figure>
  );
}

function Line({
  plan,
  bar: { value, rows, share, low, high, before, to },
  x,
  y,
}: {
  readonly plan: string;
  readonly bar: ShareBar;
  readonly x: (share: number) => number;
  readonly y: number;
}) {
  const told = `${percent(share)} (${rows.toLocaleString("en")})`;
  const marks = (
    <>
      <rect className="hit" x={0} y={y - ROW / 2} width={WIDTH} height={ROW} />
      <text className="name" x={LEFT - 10} y={y + 4} textAnchor="end">
        {short(value)}
      </text>
      <line className="stem" x1={LEFT} x2={x(share)} y1={y} y2={y} />
      {low === undefined || high === undefined ? null : <line className="span" x1={x(low)} x2={x(high)} y1={y} y2={y} />}
      {before === undefined ? null : <circle className="before" cx={x(before)} cy={y} r={4} />}
      <circle className="dot" cx={x(share)} cy={y} r={4.5} />
      <text className="fig" x={WIDTH - RIGHT + 14} y={y + 4}>
        {told}
      </text>
    </>
  );
  return to === undefined ? (
    <g role="img" aria-label={`${value || "(blank)"} ${told}`}>
      {marks}
    </g>
  ) : (
    <Link to="/table/$plan" params={{ plan }} search={to as never}>
      {marks}
    </Link>
  );
}
