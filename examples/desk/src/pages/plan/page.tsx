import { Shell } from "../../app/shell.js";
export const PlanPage = () => (
  <Shell title="plan" flows>
    …
  </Shell>
);
