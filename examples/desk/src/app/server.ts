import { QueryClient, queryOptions, useQuery, type UseQueryResult } from "@tanstack/react-query";
import { client, ServerError, type CallInput, type CallReport, type RouteName } from "yoroshi/client";

/** The project's server, with the session of whoever looks at the page. */
export const server = client();

/** What was read, kept until somebody tells that it has changed. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      gcTime: 60_000,
      refetchOnWindowFocus: false,
      retry: (times, error) => !(error instanceof ServerError) && times < 3,
      retryDelay: 500,
    },
  },
});

type Call<Name extends RouteName> = (input: CallInput<Name>, options: { readonly signal: AbortSignal }) => Promise<CallReport<Name>>;

/** A call that reads, as a query: known by the route's name and what is asked. */
export const reading = <Name extends RouteName>(name: Name, input: CallInput<Name>) =>
  queryOptions({
    queryKey: [name, input] as const,
    // Each of the calls has its own types; by a name that is a variable they are all of them at once.
    queryFn: ({ signal }) => (server[name] as unknown as Call<Name>)(input, { signal }),
  });

/** Reads something of the project, and reads it again when it changes. */
export function useReading<Name extends RouteName>(
  name: Name,
  input: CallInput<Name>,
  { enabled = true, keep = false, everyMs }: { readonly enabled?: boolean; readonly keep?: boolean; readonly everyMs?: number } = {},
): UseQueryResult<CallReport<Name>> {
  const again = everyMs === undefined ? {} : { refetchInterval: everyMs };
  return useQuery({
    ...reading(name, input),
    enabled,
    ...again,
    ...(keep ? { placeholderData: (before: unknown) => before as never } : {}),
  });
}

/** What a person is told of an error: what is wrong, and what to do. */
export function problemOf(error: unknown): string {
  if (error instanceof ServerError) return error.message;
  if (error instanceof TypeError) return "The server does not answer. It is tried again; nothing that was saved is lost.";
  return error instanceof Error ? error.message : String(error);
}

/** Fills and trials that the server was asked for, the newest first. */
export const UNDER_WAY = ["underWay"] as const;
export const useUnderWay = () => useQuery({ queryKey: UNDER_WAY, queryFn: ({ signal }) => server.underWay({ signal }) });
