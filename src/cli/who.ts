import { userInfo } from "node:os";

/** Whoever decides: the name that was given, else the system's user. */
export function whoIs(given: string | undefined): string {
  if (given?.trim()) return given.trim();
  try {
    return userInfo().username || "somebody";
  } catch {
    return "somebody"; // a container's user may have no name
  }
}
