import type { Prepared } from "./prepare.js";
import type { InputSpec } from "./template.js";

/** TypeScript source that tells the types of templates, by the names under which a project has them. */
export function templateTypes(templates: readonly { readonly name: string; readonly prepared: Prepared }[]): string {
  return [
    "// Written by `yoroshi types`, from the project's templates. What is changed here is lost.",
    'import "yoroshi/node";',
    "",
    'declare module "yoroshi/node" {',
    "  interface ProjectTemplates {",
    ...templates.flatMap(({ name, prepared }) => [
      `    ${JSON.stringify(name)}: {`,
      `      inputs: { ${prepared.inputs.map(({ name: input, spec, typescript }) => `${input}${(spec as InputSpec).required === false ? "?" : ""}: ${typescript()}`).join("; ")} };`,
      `      parts: { ${prepared.parts.map(({ name: part, typescript }) => `${part}: ${typescript()}`).join("; ")} };`,
      "    };",
    ]),
    "  }",
    "}",
    "",
  ].join("\n");
}
