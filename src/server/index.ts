export { serveProject, type Served, type ServeOptions } from "./serve.js";
