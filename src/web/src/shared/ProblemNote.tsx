import { useEffect, useRef } from "react";
import { asProblem } from "./api";

/** A problem in its three parts: what was expected, what came, what to do. */
export function ProblemNote({
  error,
  takeFocus = false,
}: {
  error: unknown;
  /** Whether the focus goes to it when it appears, as behind a form that was sent. */
  takeFocus?: boolean;
}) {
  const note = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (error && takeFocus) note.current?.focus();
  }, [error, takeFocus]);
  if (!error) return null;
  const problem = asProblem(error);
  return (
    <div ref={note} className="problem" role="alert" tabIndex={takeFocus ? -1 : undefined}>
      <p>
        <strong>{problem.expected}</strong> {problem.came}
      </p>
      <p>{problem.toDo}</p>
    </div>
  );
}
