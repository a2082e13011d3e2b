export { deep } from "./deep.js";
