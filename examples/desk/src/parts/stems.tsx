import { scaleLinear } from "d3-scale";
import { max } from "d3-array";

interface Bin {
  readonly value: string;
  readonly rows: number;
}

const HEIGHT = 21;

/**
 * How values are distributed, as thin stems; the one of the row in hand is black. A click on one filters; who has no mouse finds the same
 * in the column's panel, so the chart itself is not read out.
 */
export function Stems({
  bins,
  now,
  width,
  onPick,
}: {
  readonly bins: readonly Bin[];
  readonly now: string | undefined;
  readonly width: number;
  readonly onPick: (value: string) => void;
}) {
  const y = scaleLinear([0, max(bins, ({ rows }) => rows) ?? 1], [HEIGHT - 1, 1]);
  const step = width / bins.length;
  return (
    <svg className="stems" width={width} height={HEIGHT} aria-hidden="true">
      <line className="base" x1={0} x2={width} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} />
      {bins.map(({ value, rows }, index) => {
        const x = step * (index + 0.5);
        return (
          <g key={value} onClick={() => onPick(value)}>
            <title>{`${value}: ${rows}`}</title>
            <rect x={step * index} y={0} width={step} height={HEIGHT} fill="transparent" />
            <line className={value === now ? "stem now" : "stem"} x1={x} x2={x} y1={HEIGHT - 1} y2={y(rows)} />
          </g>
        );
      })}
    </svg>
  );
}
