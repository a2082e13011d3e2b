/** A line from low to high with a point, over a scale from 0 to 100; the figures stand beside it in words. An open point is not a model's. */
export function IntervalLine({
  at,
  low,
  high,
  width = 110,
  isOpen = false,
  limit,
}: {
  readonly at: number | undefined;
  readonly low: number;
  readonly high: number;
  readonly width?: number;
  readonly isOpen?: boolean;
  /** A dashed upright. */
  readonly limit?: number | undefined;
}) {
  const x = (value: number): number => 5 + (Math.min(100, Math.max(0, value)) / 100) * (width - 10);
  return (
    <svg width={width} height={14} aria-hidden="true" className="interval">
      <line className="base" x1={5} x2={width - 5} y1={7.5} y2={7.5} />
      <line className="span" x1={x(low)} x2={x(high)} y1={7.5} y2={7.5} />
      {at === undefined ? null : <circle className={isOpen ? "dot open" : "dot"} cx={x(at)} cy={7.5} r={isOpen ? 3.5 : 3.5} />}
      {limit === undefined ? null : <line className="limit" x1={x(limit)} x2={x(limit)} y1={0} y2={14} />}
    </svg>
  );
}
