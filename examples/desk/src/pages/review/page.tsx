import { Shell } from "../../app/shell.js";
export const ReviewPage = () => (
  <Shell title="review" flows>
    …
  </Shell>
);
