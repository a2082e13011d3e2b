import type { CallReport } from "yoroshi/client";

type Step = CallReport<"showPlan">["steps"][number];

const LINE = 44;
const TOP = 26;
const LEFT = 24;

/** Columns that a condition reads. */
const readIn = (when: string | undefined): string[] =>
  [...(when ?? "").matchAll(/row(?:\.([\p{L}_][\p{L}\d_]*)|\["([^"]+)"\])/gu)].map(([, bare, quoted]) => bare ?? quoted!);

/** The steps in their order: what each reads, what it fills, and by which column one waits for another. */
export function Order({ steps, table }: { readonly steps: readonly Step[]; readonly table: string }) {
  const filledBy = new Map(steps.flatMap(({ fills }, index) => Object.keys(fills).map((column) => [column, index] as const)));
  const arcs = steps.flatMap(({ inputs, when }, index) => {
    const read = [...new Set([...Object.values(inputs), ...readIn(when)])];
    return read.flatMap((column) => {
      const from = filledBy.get(column);
      return from === undefined || from === index ? [] : [{ from, to: index, column }];
    });
  });
  const told = steps
    .map(
      ({ name, inputs, fills }) =>
        `${name} reads ${Object.values(inputs).join(", ") || "its own columns"} and fills ${Object.keys(fills).join(", ")}`,
    )
    .join("; ");
  return (
    <figure className="order">
      <figcaption>The order of steps over {table}</figcaption>
      <svg width="100%" height={TOP + steps.length * LINE} role="img" aria-label={told}>
        {arcs.map(({ from, to, column }) => (
          <g key={`${from} ${to} ${column}`}>
            <path
              className="span"
              d={`M ${LEFT - 6} ${TOP + from * LINE} C ${LEFT - 26} ${TOP + from * LINE}, ${LEFT - 26} ${TOP + to * LINE}, ${LEFT - 6} ${TOP + to * LINE}`}
            />
            <title>{`through ${column}`}</title>
          </g>
        ))}
        {steps.map(({ name, template, inputs, fills, when }, index) => {
          const y = TOP + index * LINE;
          const reads = Object.values(inputs).join(", ");
          return (
            <g key={name}>
              <circle className={template ? "dot" : "dot open"} cx={LEFT - 2} cy={y} r={4} />
              <text x={LEFT + 10} y={y + 4} className="b">
                {name}
              </text>
              <text x={LEFT + 10} y={y + 20} className="q">
                {[template ?? "plain columns", reads && `reads ${reads}`, `fills ${Object.keys(fills).join(", ")}`, when && `when ${when}`]
                  .filter(Boolean)
                  .join(" · ")}
              </text>
            </g>
          );
        })}
      </svg>
    </figure>
  );
}
