import { html, page, type Html } from "./page.js";

/** What went wrong, for a person. */
export const problemPage = (detail: string, code: string): Html =>
  page(
    "Yoroshi",
    "this did not work",
    html`<p>${detail}</p>
      <p><small>${code}</small></p>
      <p><a href="/">Go to the beginning</a></p>`,
  );
