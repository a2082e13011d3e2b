/** A table that people labelled, and what is asked about its rows. */
export interface LabelledTable {
  readonly rows: readonly { readonly text: string; readonly choice: string; readonly score: number; readonly answer: boolean }[];
  readonly task: string;
  readonly options: Readonly<Record<string, string>>;
  readonly points: Readonly<Record<number, string>>;
  readonly question: string;
}
export const TABLES: Readonly<Record<"housing" | "hotel" | "vet", LabelledTable>>;
/** The template; `bare` leaves the meanings out. */
export function shapeOf(table: LabelledTable, bare?: boolean): object;
/** Rank correlation (Spearman 1904). */
export function spearman(a: readonly number[], b: readonly number[]): number;
