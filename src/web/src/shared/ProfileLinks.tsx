import { Button } from "react-bootstrap";
import { ProblemNote } from "./ProblemNote";
import { useRemove } from "./queries";

/** What can be done with a card: take it as a file, and take it off the shelf when it was added here. */
export function ProfileLinks({
  kind,
  id,
  name,
  own,
}: {
  kind: "board" | "image";
  id: string;
  name: string;
  own: boolean;
}) {
  const remove = useRemove();
  return (
    <>
      <p className="boot-links">
        <a href={`/api/profiles/export?ids=${id}`} download>
          Download as YAML
        </a>
        {own && (
          <Button
            variant="outline-secondary"
            size="sm"
            disabled={remove.isPending}
            onClick={() => remove.mutate({ kind: `${kind}-card`, id })}
          >
            Take {name} off the shelf
          </Button>
        )}
      </p>
      <ProblemNote error={remove.error} />
    </>
  );
}
