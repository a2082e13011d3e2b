import { Link } from "@tanstack/react-router";
import { Problem } from "../parts/problem.js";
import { Shell } from "./shell.js";

/** An address that leads nowhere, or a page that broke. */
export function Lost({ error }: { readonly error?: unknown }) {
  return (
    <Shell title={error ? "This page broke" : "There is no such page"} flows>
      <Problem error={error} />
      <p>
        <Link to="/" className="act">
          To what needs me
        </Link>
      </p>
    </Shell>
  );
}
