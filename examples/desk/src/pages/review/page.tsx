import { useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { Link } from "@tanstack/react-router";
import { useReading } from "../../app/server.js";
import { Shell } from "../../app/shell.js";
import { useKeys } from "../../app/keys.js";
import { plural } from "../../parts/words.js";
import { CheckDesk } from "./check-desk.js";
import { CheckFigures } from "./check-figures.js";
import { HeldDesk } from "./held-desk.js";
import "./review.css";

/** Rows that wait for a person, one at a time; and rows drawn at random, to find how many are wrong. */
export function ReviewPage() {
  const { plan } = useParams({ from: "/review/$plan" });
  const { of = "held", key } = useSearch({ from: "/review/$plan" });
  const navigate = useNavigate({ from: "/review/$plan" });
  const { data: waiting } = useReading("readReview", { plan, limit: 1 }, { keep: true });
  const held = Object.values(waiting?.held ?? {}).reduce((sum, { person }) => sum + person, 0);
  const show = (next: "held" | "check"): void => void navigate({ search: next === "check" ? { of: "check" as const } : {} });
  useKeys({ Escape: () => void navigate({ to: "/table/$plan", params: { plan }, search: key ? { row: key } : {} }) });
  return (
    <Shell
      title={plan}
      about="review of held rows, and of rows drawn at random"
      plan={plan}
      station="review"
      flows
      acts={
        <>
          <button type="button" className="act" aria-pressed={of === "held"} onClick={() => show("held")}>
            Held {held}
          </button>
          <button type="button" className="act" aria-pressed={of === "check"} onClick={() => show("check")}>
            Random check
          </button>
          <Link to="/table/$plan" params={{ plan }} search={key ? { row: key } : {}} className="act">
            Back to the table <b>Esc</b>
          </Link>
        </>
      }
    >
      {of === "check" ? (
        <CheckDesk plan={plan} />
      ) : (
        <HeldDesk plan={plan} wanted={key} figures={<CheckFigures plan={plan} />} told={plural(held, "row")} />
      )}
    </Shell>
  );
}
