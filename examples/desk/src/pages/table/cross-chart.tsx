import { scaleLinear } from "d3-scale";
import { extent } from "d3-array";
import { useState } from "react";
import type { CallReport } from "yoroshi/client";
import { IntervalLine } from "../../parts/interval-line.js";
import { range, whole } from "../../parts/words.js";

type Cross = CallReport<"readCross">;
const MEAN = "\u0000mean";

/** A column's shares in groups of rows, each with its 95 % interval: lines that lie apart differ by more than chance would have them. */
export function CrossChart({ data }: { readonly data: Cross }) {
  const [picked, setPicked] = useState<string | undefined>();
  const value = picked ?? (data.of === "numbers" ? MEAN : data.values[0]);
  const groups = data.groups.filter(({ rows }) => rows > 0);
  const means = groups.flatMap(({ mean }) => (mean ? [mean.interval?.low ?? mean.value, mean.interval?.high ?? mean.value] : []));
  const [low = 0, high = 1] = value === MEAN ? (extent(means) as [number, number]) : [0, 1];
  const x = scaleLinear([low, high === low ? low + 1 : high], [0, 100]);
  return (
    <figure className="cross">
      <label>
        share of{" "}
        <select value={value} onChange={({ target }) => setPicked(target.value)}>
          {data.of === "numbers" ? <option value={MEAN}>the mean</option> : null}
          {data.values.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </label>
      <table>
        <thead>
          <tr>
            <th scope="col">{data.across}</th>
            <th scope="col">rows</th>
            <th scope="col">{value === MEAN ? "mean" : "share"}, with its 95 % interval</th>
          </tr>
        </thead>
        <tbody>
          {groups.map((group) => {
            const share = value === undefined ? undefined : group.shares[value];
            const told = value === MEAN ? group.mean : share && { value: share.share, interval: share.interval };
            if (!told) return null;
            const words =
              value === MEAN
                ? `${told.value.toFixed(2)}${told.interval ? ` (${told.interval.low.toFixed(2)} to ${told.interval.high.toFixed(2)})` : ""}`
                : `${whole(told.value)}${told.interval ? ` (${range(told.interval)})` : ""}`;
            return (
              <tr key={group.by}>
                <th scope="row">{group.to === undefined ? group.by : `${group.by} to ${group.to}`}</th>
                <td className="fig">{group.rows}</td>
                <td>
                  <IntervalLine
                    at={x(told.value)}
                    low={told.interval ? x(told.interval.low) : x(told.value)}
                    high={told.interval ? x(told.interval.high) : x(told.value)}
                  />
                  <small>{words}</small>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {data.others > 0 ? <figcaption>{data.others} rows are in groups that are not shown.</figcaption> : null}
    </figure>
  );
}
