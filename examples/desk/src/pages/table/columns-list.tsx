import { ArrowLeft, ArrowRight } from "lucide-react";
import type { Column } from "./layout.js";
import type { TableSearch } from "./search.js";

interface Props {
  readonly columns: readonly Column[];
  readonly search: TableSearch;
  readonly onChange: (next: Partial<{ [Key in keyof TableSearch]: TableSearch[Key] | undefined }>) => void;
}

/** Which columns are shown, in which order, which stay at the left edge. */
export function ColumnsList({ columns, search, onChange }: Props) {
  const hidden = new Set(search.hidden);
  const pinned = search.pinned ?? [];
  const names = columns.map(({ name }) => name);
  const order = [...(search.order ?? []).filter((name) => names.includes(name)), ...names.filter((name) => !search.order?.includes(name))];
  const move = (name: string, by: number): void => {
    const at = order.indexOf(name);
    const next = order.filter((one) => one !== name);
    next.splice(Math.min(Math.max(0, at + by), next.length), 0, name);
    onChange({ order: next });
  };
  return (
    <fieldset className="columns-list">
      <legend>Columns: shown, pinned to the left edge, moved</legend>
      <ul>
        {order.map((name, index) => (
          <li key={name}>
            <label>
              <input
                type="checkbox"
                checked={!hidden.has(name)}
                onChange={({ target }) =>
                  onChange({ hidden: target.checked ? [...hidden].filter((one) => one !== name) : [...hidden, name] })
                }
              />
              {name}
            </label>
            <button
              type="button"
              className="act"
              aria-pressed={pinned.includes(name)}
              onClick={() => onChange({ pinned: pinned.includes(name) ? pinned.filter((one) => one !== name) : [...pinned, name] })}
            >
              {pinned.includes(name) ? "pinned" : "pin"}
            </button>
            <button type="button" aria-label={`Move ${name} to the left`} disabled={index === 0} onClick={() => move(name, -1)}>
              <ArrowLeft size={15} />
            </button>
            <button
              type="button"
              aria-label={`Move ${name} to the right`}
              disabled={index === order.length - 1}
              onClick={() => move(name, 1)}
            >
              <ArrowRight size={15} />
            </button>
          </li>
        ))}
      </ul>
    </fieldset>
  );
}
