import { randomBytes } from "node:crypto";
import { existsSync, readFileSync } from "node:fs";
import path from "node:path";
import type { Context } from "hono";
import { packageFolder } from "../jobs/index.js";
import { YoroshiError } from "../core/ground/index.js";
import { contentPolicy } from "./content-policy.js";
import type { App } from "./parts.js";

const TYPES: Readonly<Record<string, string>> = {
  ".js": "text/javascript; charset=utf-8",
  ".css": "text/css; charset=utf-8",
  ".svg": "image/svg+xml",
};
const PLAIN_NAME = /^[\w-][\w.-]*$/;
/** Stands in the built page where each answer has a nonce of its own. */
const NONCE = "YOROSHI-NONCE";

/**
 * The desk: pages that are built when the package is. They hold nothing of a project; what they show they ask for, with the session that
 * their reader has. So they are open to all, and an address that was sent by somebody leads to its page.
 */
export function deskRoutes(app: App): void {
  const folder = packageFolder(path.join("dist", "desk"));
  app.get("/", (c) => c.redirect("/desk/"));
  app.get("/desk/assets/:name", (c) => {
    const name = c.req.param("name");
    const type = TYPES[path.extname(name)];
    const file = path.join(folder, "assets", name);
    if (type === undefined || !PLAIN_NAME.test(name) || !existsSync(file)) throw new YoroshiError("noSuchRoute", {});
    // Names carry a hash of what is inside, so that a page of another version asks for other files.
    return c.body(readFileSync(file), 200, { "content-type": type, "cache-control": "private, max-age=31536000, immutable" });
  });
  const page = (c: Context): Response => {
    const file = path.join(folder, "index.html");
    if (!existsSync(file)) throw new YoroshiError("noDesk", {});
    const nonce = randomBytes(16).toString("base64url");
    return c.html(readFileSync(file, "utf8").replaceAll(NONCE, nonce), 200, { "content-security-policy": contentPolicy(nonce) });
  };
  app.get("/desk", page);
  app.get("/desk/*", page);
}
