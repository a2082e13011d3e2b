import path from "node:path";

/** Where a file's result goes by habit: `deck-log.csv` -> `deck-log.filled.csv`. */
export function filledName(file: string): string {
  const { dir, name, ext } = path.parse(file);
  return path.join(dir, `${name}.filled${ext}`);
}
