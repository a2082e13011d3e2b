import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { reading } from "../../app/server.js";
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
  // A large table is shown while it is still being read.
  early: true,
});

const READ_AGAIN_MS = 400;

/** Rows of a table that is still being read are asked for again until they are all there. */
const untilWhole = ({
  state: { data },
}: {
  readonly state: { readonly data?: { readonly reading?: number | undefined } | undefined };
}): number | false => (data?.reading === undefined ? false : READ_AGAIN_MS);

/** The first page of a table, which tells its columns and how many rows are found. */
export const useFirstRows = (plan: string, search: TableSearch) =>
  useQuery({ ...reading("readRows", asked(plan, search, 0)), placeholderData: (before) => before, refetchInterval: untilWhole });

/** The rows in sight, by their places; those that have not come are left out. */
export function useRows(plan: string, search: TableSearch, from: number, to: number): ReadonlyMap<number, Row> {
  const pages = useMemo(() => {
    const first = Math.floor(Math.max(0, from) / PAGE);
    const last = Math.floor(Math.max(0, to) / PAGE);
    return Array.from({ length: last - first + 1 }, (_, index) => (first + index) * PAGE);
  }, [from, to]);
  return useQueries({
    queries: pages.map((page) => ({ ...reading("readRows", asked(plan, search, page)), refetchInterval: untilWhole })),
    combine: (results) => {
      const rows = new Map<number, Row>();
      for (const { data } of results) if (data) for (const [index, row] of data.page.entries()) rows.set(data.from + index, row);
      return rows;
    },
  });
}
