import * as crypto from "node:crypto";
import type { Sha256 } from "../core/index.js";

// `hash` came with Node 20.12.
const { createHash, hash } = crypto as typeof crypto & { hash?: (name: string, text: string) => string };

/** Node's own hash: several times faster than the portable one. */
export const sha256: Sha256 = (text) => (hash ? hash("sha256", text) : createHash("sha256").update(text).digest("hex"));
