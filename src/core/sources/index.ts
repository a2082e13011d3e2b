export { around, quotedFrom, textsOf, type Around, type InputText, type Quoted } from "./evidence.js";
export { quotable, type Quotable, type Span } from "./find-quotation.js";
export { addFindings, findSource, openSource, shownText } from "./find-source.js";
export { memoryFiles, memoryPages, type MemorySource } from "./memory-files.js";
export { memorySearch } from "./memory-search.js";
export {
  isProblem,
  type Files,
  type FindOptions,
  type Hit,
  type KeptFindings,
  type Opened,
  type Pages,
  type Picture,
  type Search,
  type SourceProblem,
  type Sources,
  type TextPage,
} from "./sources.js";
export { placeWords, type Evidence, type Spot } from "./spot.js";
export { errandName, type Errand } from "./errand.js";
export type { LegworkStep } from "./legwork-step.js";
