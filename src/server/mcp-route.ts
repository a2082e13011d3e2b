import type { App, Parts } from "./app.js";

export function mcpRoute(_app: App, _parts: Parts): void {}
