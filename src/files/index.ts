export { backUp } from "./backup.js";
export { checkWritable } from "./check-writable.js";
export type { BroughtCell, FileChanges, FileFormat, FileRow, NamedFile, NewRow, RowChange } from "./file-format.js";
export { fileProblem } from "./file-problem.js";
export { fileTable, WriteAgain, type FileTableOptions } from "./file-table.js";
export { filledName } from "./filled-name.js";
export { KeySet, usableKey } from "./key-set.js";
export { isRunning } from "./process.js";
export { fileHash, writeWhole } from "./write-file.js";
