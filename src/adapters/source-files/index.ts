export { fileReader, type FileReader, type ReaderOptions } from "./pool.js";
export { pageHow, type TakenMail } from "./read-how.js";
export { sourceFiles, type FetchedFile, type KnownFile, type SourceFilesOptions } from "./source-files.js";
export { HEAD_BYTES, TAIL_BYTES, typeOf, type TypeFound } from "./type-of.js";
