import { Shell } from "../../app/shell.js";
export const TemplatePage = () => (
  <Shell title="template" flows>
    …
  </Shell>
);
