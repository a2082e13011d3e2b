import { Shell } from "../../app/shell.js";
export const TrialsPage = () => (
  <Shell title="trials" flows>
    …
  </Shell>
);
