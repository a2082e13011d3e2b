export { differing, marksOf } from "./marks.js";
export { memoryQueue, type ChunkName, type Taking, type WorkQueue } from "./queue.js";
export {
  CHUNK,
  chunkNames,
  SPREAD,
  SPREAD_NAMES,
  spreadName,
  WORKER,
  WORKER_NAMES,
  type ChunkRecord,
  type SpreadOptions,
  type SpreadRecord,
  type WorkerRecord,
} from "./records.js";
export { outagesNow, SharedOutages, type OutageRecord } from "./shared-outages.js";
export { SharedPlaces } from "./shared-places.js";
export { SharedLimits } from "./shared-limits.js";
export { spreadOut, type SpreadProgress, type SpreadSetup } from "./spread-out.js";
export { workChunk, type ChunkSetup, type ChunkWorked } from "./work-chunk.js";
