import type { Right, TokenBearer } from "../jobs/index.js";

/** Whoever sends a request: a person with a session, or a program with a token. */
export type Identity =
  | { readonly is: "person"; readonly person: string; readonly session: string }
  | { readonly is: "token"; readonly person: string; readonly bearer: TokenBearer };

/** What is kept beside what they do. */
export const nameOf = (who: Identity): string => (who.is === "person" ? who.person : `${who.person} (${who.bearer.name})`);

/** Under which their requests are counted. */
export const countedAs = (who: Identity): string => (who.is === "person" ? `session ${who.session}` : `token ${who.bearer.id}`);

const ORDER: readonly (Right | "person")[] = ["answer", "read", "work", "person"];

/** Whether they may do what needs a right. A token for one template may ask about that one alone. */
export function may(who: Identity, needs: Right | "person", template?: string): boolean {
  if (who.is === "person") return true;
  if (needs === "person") return false;
  const { right, template: own } = who.bearer;
  return ORDER.indexOf(right) >= ORDER.indexOf(needs) && (own === undefined || own === template);
}
