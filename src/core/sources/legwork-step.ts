/** One thing that was done, in its order. */
export type LegworkStep =
  | { readonly did: "search"; readonly what: string; readonly found: number; readonly problem?: string | undefined }
  | { readonly did: "read" | "follow"; readonly what: string; readonly chars: number; readonly problem?: string | undefined };
