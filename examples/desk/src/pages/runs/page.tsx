import { Shell } from "../../app/shell.js";
export const RunsPage = () => (
  <Shell title="runs" flows>
    …
  </Shell>
);
