const WORDS: Record<string, string> = {
  ENOENT: "there is no such file",
  EACCES: "permission is denied",
  EPERM: "permission is denied",
  EISDIR: "it is a folder",
  ENOSPC: "the disk is full",
  EROFS: "the disk is read-only",
  EMFILE: "too many files are open",
};

/** A file system error in plain words. */
export function fileProblem(error: unknown): string {
  const code = (error as { code?: unknown }).code;
  return (typeof code === "string" && WORDS[code]) || (typeof code === "string" ? code : "it failed");
}
