import { Shell } from "../../app/shell.js";
export const BeginPage = () => (
  <Shell title="begin" flows>
    …
  </Shell>
);
