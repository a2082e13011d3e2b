import { useState } from "react";
import { didAct, failed } from "../../app/acts.js";
import { server } from "../../app/server.js";
import { queryOf, type TableSearch } from "./search.js";

const WAYS = { result: "the result file as it stands", csv: "these rows as CSV", xlsx: "these rows as a workbook" } as const;

/** Takes the table away: the file that fills write, or the rows as they are seen. */
export function TakeAway({ plan, search }: { readonly plan: string; readonly search: TableSearch }) {
  const [isTaking, setTaking] = useState(false);
  const take = async (as: keyof typeof WAYS): Promise<void> => {
    setTaking(true);
    try {
      const { name, bytes } = await server.download(plan, as, {
        seen: { ...queryOf(search), ...(search.sort ? { sort: [...search.sort] } : {}) },
      });
      const link = document.createElement("a");
      link.href = URL.createObjectURL(bytes);
      link.download = name;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
      didAct({ says: `${name} was taken away.` });
    } catch (error) {
      failed(error);
    }
    setTaking(false);
  };
  return (
    <select
      aria-label="Take the table away"
      className="act-select"
      value=""
      disabled={isTaking}
      onChange={({ target }) => void take(target.value as keyof typeof WAYS)}
    >
      <option value="" disabled>
        Take away
      </option>
      {Object.entries(WAYS).map(([as, told]) => (
        <option key={as} value={as}>
          {told}
        </option>
      ))}
    </select>
  );
}
