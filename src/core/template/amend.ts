import { isScalar, parseDocument } from "yaml";

/**
 * A template file with sentences added in front of its task; comments, order and everything else stay as they are.
 * Braces are taken out of the sentences, so that they bring no placeholders.
 */
export function addToTask(text: string, sentences: readonly string[]): string {
  const document = parseDocument(text);
  const task = document.get("task", true);
  const added = sentences
    .map((sentence) => sentence.replace(/[{}]/g, "").replace(/\s+/g, " ").trim())
    .filter((sentence) => sentence !== "");
  if (!isScalar(task) || typeof task.value !== "string" || added.length === 0) return text;
  task.value = `${added.join("\n")}\n${task.value}`;
  task.type = "BLOCK_LITERAL";
  return document.toString({ lineWidth: 0 });
}
