import { html, page, type Html } from "./page.js";

interface Schema {
  readonly const?: unknown;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly type?: string;
  readonly items?: Schema;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
}

interface Parameter {
  readonly name: string;
  readonly in: string;
  readonly required: boolean;
  readonly schema: Schema;
  readonly example?: unknown;
}

interface Body {
  readonly schema: Schema;
  readonly example?: unknown;
}

interface Described {
  readonly operationId: string;
  readonly tags: readonly string[];
  readonly summary: string;
  readonly description?: string;
  readonly parameters?: readonly Parameter[];
  readonly requestBody?: { readonly content: { readonly "application/json"?: Body } };
}

interface Doc {
  readonly tags: readonly { readonly name: string }[];
  readonly paths: Readonly<Record<string, Readonly<Record<string, Described>>>>;
}

/** The OpenAPI document as a page. */
/** @param document as `openApi` makes it. */
export function apiPage(document: object, address: string): Html {
  const { paths, tags } = document as Doc;
  const operations = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => ({ path, method: method.toUpperCase(), operation })),
  );
  return page(
    "API",
    `${operations.length} addresses; the same words, reports and codes as on the command line`,
    html`<p class="quiet">
        A program sends a token: <code>Authorization: Bearer …</code>. <code>yoroshi serve token</code> makes one.
        <a href="/openapi.json">The document</a>.
      </p>
      ${tags.map(
        ({ name: tag }) =>
          html`<section>
            <h2>${tag}</h2>
            ${operations.filter(({ operation }) => operation.tags.includes(tag)).map((one) => operationPart(one, address))}
          </section>`,
      )}`,
  );
}

function operationPart({ path, method, operation }: { path: string; method: string; operation: Described }, address: string): Html {
  const { parameters = [] } = operation;
  const body = operation.requestBody?.content["application/json"];
  const said = Object.entries(body?.schema.properties ?? {});
  const required = body?.schema.required ?? [];
  return html`<details id="${operation.operationId}">
    <summary><b>${method}</b><code>${path}</code><span>${operation.summary}</span></summary>
    <div>
      ${operation.description ? html`<p>${operation.description.replaceAll("`", "")}</p>` : ""}
      ${
        parameters.length + said.length > 0
          ? html`<table>
              <thead>
                <tr>
                  <th>name</th>
                  <th>where</th>
                  <th>what</th>
                </tr>
              </thead>
              <tbody>
                ${parameters.map(
                  (one) =>
                    html`<tr>
                      <td>${one.name}</td>
                      <td>${one.in}</td>
                      <td>${kindOf(one.schema)}${one.required ? "" : ", may be left out"}</td>
                    </tr>`,
                )}${said.map(
                  ([name, schema]) =>
                    html`<tr>
                      <td>${name}</td>
                      <td>body</td>
                      <td>${kindOf(schema)}${required.includes(name) ? "" : ", may be left out"}</td>
                    </tr>`,
                )}
              </tbody>
            </table>`
          : ""
      }
      <pre>${curlOf(path, method, parameters, body, address)}</pre>
    </div>
  </details>`;
}

function kindOf(schema: Schema): string {
  if (schema.const !== undefined) return JSON.stringify(schema.const);
  if (schema.enum) return schema.enum.map(String).join(" | ");
  const options = schema.anyOf ?? schema.oneOf;
  if (options) return options.map(kindOf).join(" or ");
  if (schema.type === "array") return `list of ${kindOf(schema.items ?? {})}`;
  if (schema.properties) return `{ ${Object.keys(schema.properties).join(", ")} }`;
  return schema.type ?? "any value";
}

function curlOf(path: string, method: string, parameters: readonly Parameter[], body: Body | undefined, address: string): string {
  const filled = path.replaceAll(/\{(\w+)\}/g, (whole, name: string) => {
    const found = parameters.find((one) => one.in === "path" && one.name === name);
    return found?.example === undefined ? whole : encodeURIComponent(String(found.example));
  });
  const query = parameters
    .filter((one) => one.in === "query" && typeof one.example === "string")
    .map((one) => `${one.name}=${encodeURIComponent(String(one.example))}`)
    .join("&");
  const lines = [
    `curl ${method === "GET" ? "" : `-X ${method} `}'${address}${filled}${query === "" ? "" : `?${query}`}'`,
    '-H "Authorization: Bearer $TOKEN"',
  ];
  if (body)
    lines.push("-H 'Content-Type: application/json'", `-d '${JSON.stringify(body.example ?? {}).replaceAll("'", String.raw`'\''`)}'`);
  return lines.join(" \\\n  ");
}
