export { readEmail, type ReadEmail } from "./email.js";
export { fileReader, type FileReader, type ReaderOptions } from "./pool.js";
export { sourceFiles, type FetchedFile, type KnownFile, type SourceFilesOptions } from "./source-files.js";
export { typeOf, type TypeFound } from "./type-of.js";
