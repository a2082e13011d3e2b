import { lazy, Suspense } from "react";
import type { EditorProps } from "./code-mirror.js";

// The editor is larger than all else on the page, and comes when one is shown.
const CodeMirror = lazy(() => import("./code-mirror.js"));

/** A text editor; while it is on its way, the text stands there to be read. */
export function Editor(props: EditorProps) {
  return (
    <Suspense fallback={<pre className="editor">{props.text}</pre>}>
      <CodeMirror {...props} />
    </Suspense>
  );
}
