export { searchEngines, type Engine, type SearchOptions } from "./engines.js";
export { filledIn, readDescription, readFeed } from "./feeds.js";
export { readJsonHits, type JsonMapping } from "./json-hits.js";
