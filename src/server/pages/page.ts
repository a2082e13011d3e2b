import { html, raw } from "hono/html";
import type { HtmlEscapedString } from "hono/utils/html";

export type Html = HtmlEscapedString | Promise<HtmlEscapedString>;

/** A whole page; nothing in it runs, and its style is a file of the server's own. */
export const page = (title: string, about: string, body: Html): Html =>
  html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>${title}</title>
        <link rel="icon" href="data:," />
        <link rel="stylesheet" href="/assets/pages.css" />
      </head>
      <body>
        <header>
          <h1>${title}</h1>
          <p>${about}</p>
        </header>
        <main>${body}</main>
      </body>
    </html>`;

export { html, raw };
