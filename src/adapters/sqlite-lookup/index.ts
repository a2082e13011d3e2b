export { sqliteLookup } from "./sqlite-lookup.js";
