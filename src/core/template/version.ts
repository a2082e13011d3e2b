import { canonicalJson, sha256Hex } from "../ground/index.js";
import type { Template } from "./template.js";

/** The content of a template, whatever its file's spacing, comments and order of keys, and to whom it is offered; a new hash is a new version. */
export function versionText(whole: Template): string {
  const { offer: _, ...template } = whole;
  return sha256Hex(canonicalJson({ ...template, order: Object.keys(template.answer) }));
}
