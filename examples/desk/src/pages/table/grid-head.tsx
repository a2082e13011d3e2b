import { ArrowDown, ArrowUp, ArrowUpDown } from "lucide-react";
import type { CallReport } from "yoroshi/client";
import { useReading } from "../../app/server.js";
import { Stems } from "../../parts/stems.js";
import { TICK, type Laid, type Layout, type Row } from "./layout.js";
import { MarginKey } from "./margin-key.js";
import { queryOf, withFilter, type Sort, type TableSearch } from "./search.js";
import type { Hand } from "./use-hand.js";

interface Props {
  readonly plan: string;
  readonly first: CallReport<"readRows">;
  readonly layout: Layout;
  readonly margin: number;
  readonly search: TableSearch;
  readonly hand: Hand;
  /** The row in hand. */
  readonly row: Row | undefined;
  readonly chosen: ReadonlySet<string>;
  readonly onPanel: (column: string) => void;
  readonly onTick: (keys: readonly string[], on: boolean) => void;
  readonly onChange: (next: Partial<{ [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) => void;
}

/** Names of columns, who writes them, how their values are distributed; and the key to the marks. */
export function GridHead({ plan, first, layout, margin, search, hand, row, chosen, onPanel, onTick, onChange }: Props) {
  const { laid } = layout;
  const keys = first.page.map(({ key }) => key);
  const isWhole = first.reading === undefined;
  const all = keys.length > 0 && keys.every((key) => chosen.has(key));
  const sortBy = (name: string): void => {
    const now = search.sort?.find(({ column }) => column === name);
    const next: Sort[] = !now ? [{ column: name }] : now.descending ? [] : [{ column: name, descending: true }];
    onChange({ sort: next });
  };
  return (
    <div role="rowgroup" className="deck-head" style={{ width: layout.width + margin }}>
      <div role="row" aria-rowindex={1} className="head-row">
        <div role="columnheader" className="tick" style={{ width: TICK }}>
          <input
            type="checkbox"
            aria-label={`Choose the first ${keys.length} rows`}
            checked={all}
            onChange={({ target }) => onTick(keys, target.checked)}
          />
        </div>
        {laid.map((one, index) => (
          <ColumnHead
            key={one.column.name}
            id={`h-${index}`}
            plan={plan}
            laid={one}
            isWhole={isWhole}
            group={groupAt(laid, index)}
            isHere={hand.place === -1 && hand.col === index}
            value={row?.states[one.column.name]?.held ?? row?.values[one.at]}
            sort={search.sort?.find(({ column }) => column === one.column.name)}
            search={search}
            onPanel={() => onPanel(one.column.name)}
            onSort={() => sortBy(one.column.name)}
            onFilter={(value) =>
              onChange({
                filters: withFilter(search.filters, one.column.name, value === undefined ? undefined : { is: [value] }),
                row: undefined,
              })
            }
          />
        ))}
        <div role="columnheader" className="key-head" style={{ width: margin }}>
          <MarginKey plan={plan} search={search} isWhole={isWhole} onChange={onChange} />
        </div>
      </div>
    </div>
  );
}

/** The figure under a column's name: of the value in hand, else of the column. */
function smallOf(data: CallReport<"readColumn"> | undefined, bin: { readonly value: string; readonly rows: number } | undefined): string {
  if (!data) return "";
  if (bin) return `${bin.value}: ${bin.rows} of ${data.rows}`;
  const { held = 0 } = data.states ?? {};
  if (data.different === 0 && held > 0) return `${held} held`;
  return data.numbers ? `mean ${data.numbers.mean.toFixed(1)}` : `${data.different} different`;
}

/** At the first column of a template's: who writes these columns, and how wide they are together. */
function groupAt(laid: readonly Laid[], index: number): { readonly words: string; readonly width: number } | undefined {
  const { filled } = laid[index]!.column;
  if (!filled || laid[index - 1]?.column.filled?.step === filled.step) return undefined;
  let width = 0;
  for (let at = index; laid[at]?.column.filled?.step === filled.step; at++) width += laid[at]!.width;
  const words = filled.template
    ? `written by ${filled.template}${filled.version ? `, version ${filled.version}` : ""}`
    : `made by ${filled.step}`;
  return { words, width };
}

interface HeadProps {
  readonly id: string;
  readonly plan: string;
  readonly laid: Laid;
  /** The table is read whole, so that its figures can be asked for. */
  readonly isWhole: boolean;
  readonly group: { readonly words: string; readonly width: number } | undefined;
  readonly isHere: boolean;
  readonly value: string | undefined;
  readonly sort: Sort | undefined;
  readonly search: TableSearch;
  readonly onPanel: () => void;
  readonly onSort: () => void;
  readonly onFilter: (value: string | undefined) => void;
}

function ColumnHead({ id, plan, laid, isWhole, group, isHere, value, sort, search, onPanel, onSort, onFilter }: HeadProps) {
  const { column, width, left } = laid;
  const { data } = useReading(
    "readColumn",
    { plan, column: column.name, ...queryOf(search) },
    { enabled: column.filled !== undefined && isWhole, keep: true },
  );
  const bin = data?.bins.find((one) => one.value === value);
  const filter = search.filters?.find((one) => one.column === column.name)?.is;
  const small = smallOf(data, bin);
  const names = ["column-head", column.filled ? "written" : "", left === undefined ? "" : "pinned", isHere ? "in-hand" : ""];
  return (
    <div
      id={id}
      role="columnheader"
      aria-sort={sort ? (sort.descending ? "descending" : "ascending") : "none"}
      className={names.filter(Boolean).join(" ")}
      style={left === undefined ? { width } : { width, left }}
    >
      {group ? (
        <span className="group ink" style={{ width: group.width - 14 }}>
          {group.words}
        </span>
      ) : null}
      {data && data.bins.length > 1 && data.bins.length <= 24 ? (
        <Stems
          bins={data.bins}
          now={value}
          width={Math.min(width - 30, 9 * data.bins.length + 6)}
          onPick={(picked) => onFilter(filter?.includes(picked) ? undefined : picked)}
        />
      ) : null}
      <span className="names">
        <button type="button" tabIndex={-1} className="name" title={column.name} onClick={onPanel}>
          {column.name}
        </button>
        <button type="button" tabIndex={-1} className={sort ? "sort on" : "sort"} aria-label={`Sort by ${column.name}`} onClick={onSort}>
          {sort ? sort.descending ? <ArrowDown size={14} /> : <ArrowUp size={14} /> : <ArrowUpDown size={13} />}
        </button>
      </span>
      <small>{small || "\u00a0"}</small>
    </div>
  );
}
