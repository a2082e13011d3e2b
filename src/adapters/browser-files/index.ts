export { browserFiles } from "./browser-files.js";
