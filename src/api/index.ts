export { EXAMPLES, type Example } from "./examples.js";
export { pathKeys, ROUTES, type Route, type RouteName } from "./routes.js";
