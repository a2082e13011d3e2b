export { watchFiles } from "./watch-files.js";
