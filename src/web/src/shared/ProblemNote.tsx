import { asProblem } from "./api";

/** A problem in its three parts: what was expected, what came, what to do. */
export function ProblemNote({ error }: { error: unknown }) {
  if (!error) return null;
  const problem = asProblem(error);
  return (
    <div className="problem" role="alert">
      <p>
        <strong>{problem.expected}</strong> {problem.came}
      </p>
      <p>{problem.toDo}</p>
    </div>
  );
}
