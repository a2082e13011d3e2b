// Lets the examples import `yoroshi` by its published name, through its exports, as a user's project would. A
// dependency from a workspace on the root package would make the lock file refer to itself.
import { lstatSync, mkdirSync, rmSync, symlinkSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), "..");
const link = path.join(root, "node_modules", "yoroshi");
mkdirSync(path.dirname(link), { recursive: true });
if (lstatSync(link, { throwIfNoEntry: false })) rmSync(link, { recursive: true });
symlinkSync(process.platform === "win32" ? root : "..", link, "junction");
