// Writes the JSON Schemas of the file formats into the package, from the schemas that read the files.
import { mkdirSync, writeFileSync } from "node:fs";
import { planFileSchema, templateFileSchema } from "../dist/core/index.js";
import { projectFileSchema } from "../dist/project/index.js";

const folder = new URL("../dist/schemas/", import.meta.url);
mkdirSync(folder, { recursive: true });
for (const [name, schema] of Object.entries({
  "template-1": templateFileSchema(),
  "plan-1": planFileSchema(),
  "project-1": projectFileSchema(),
})) {
  const whole = { $schema: "https://json-schema.org/draft/2020-12/schema", title: `Yoroshi ${name.replace("-", "/")}`, ...schema };
  writeFileSync(new URL(`${name}.json`, folder), `${JSON.stringify(whole, null, 2)}\n`);
}
