import { Shell } from "../../app/shell.js";
export const NowPage = () => (
  <Shell title="Now" flows>
    …
  </Shell>
);
