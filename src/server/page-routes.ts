import type { App, Parts } from "./app.js";

export function pageRoutes(_app: App, _parts: Parts): void {}
