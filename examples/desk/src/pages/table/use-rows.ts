import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { reading, useReading } from "../../app/server.js";
import type { Row } from "./layout.js";
import { queryOf, type TableSearch } from "./search.js";

const PAGE = 200;

/** What is asked of a page of rows. */
const asked = (plan: string, search: TableSearch, from: number) => ({
  plan,
  ...queryOf(search),
  ...(search.sort?.length ? { sort: [...search.sort] } : {}),
  from,
  limit: PAGE,
});

/** The first page of a table, which tells its columns and how many rows are found. */
export const useFirstRows = (plan: string, search: TableSearch) => useReading("readRows", asked(plan, search, 0), { keep: true });

/** The rows in sight, by their places; those that have not come are left out. */
export function useRows(plan: string, search: TableSearch, from: number, to: number): ReadonlyMap<number, Row> {
  const pages = useMemo(() => {
    const first = Math.floor(Math.max(0, from) / PAGE);
    const last = Math.floor(Math.max(0, to) / PAGE);
    return Array.from({ length: last - first + 1 }, (_, index) => (first + index) * PAGE);
  }, [from, to]);
  return useQueries({
    queries: pages.map((page) => reading("readRows", asked(plan, search, page))),
    combine: (results) => {
      const rows = new Map<number, Row>();
      for (const { data } of results) if (data) for (const [index, row] of data.page.entries()) rows.set(data.from + index, row);
      return rows;
    },
  });
}
