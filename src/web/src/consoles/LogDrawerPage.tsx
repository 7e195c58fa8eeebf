import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench, useBoots, useRemove, useRules } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { day } from "../shared/words";

/** The newest boots of all boards. */
export function LogDrawerPage() {
  const boots = useBoots();
  const bench = useBench();
  const rules = useRules();
  const remove = useRemove();
  const [text, setText] = useState("");
  const nicknames = new Map(bench.data?.map((b) => [b.id, b.nickname]));
  const causes = new Map(rules.data?.map((r) => [r.id, r.name]));
  const rows = (boots.data ?? [])
    .map((b) => ({ ...b, nickname: nicknames.get(b.boardId) ?? "", cause: causes.get(b.topCause ?? "") ?? "" }))
    .filter((b) =>
      [b.nickname, b.word, b.cause, b.imageTitle, b.source].join(" ").toLowerCase().includes(text.toLowerCase()),
    );
  return (
    <main className="page wide" id="page">
      <title>Log drawer · Buttonhook</title>
      <h1>Log drawer</h1>
      <Form.Control
        className="filter"
        aria-label="Narrow the list"
        placeholder="Narrow by board, image, outcome or cause"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <ProblemNote error={boots.error ?? remove.error} />
      <RemovedList kinds={["log"]} />
      <div className="table-scroll" tabIndex={0} role="region" aria-label="Boots">
        <table className="table">
          <thead>
            <tr>
              <th scope="col">Board</th>
              <th scope="col">When</th>
              <th scope="col">Image</th>
              <th scope="col">How it ended</th>
              <th scope="col">Cause</th>
              <th scope="col">Remove</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((b) => (
              <tr key={b.id}>
                <th scope="row">
                  <Link to={`/boards/${b.boardId}/boot?boot=${b.id}`}>
                    {b.nickname}, boot {b.number}
                  </Link>
                </th>
                <td>{day(b.startedAt)}</td>
                <td>{b.imageTitle ?? "not known"}</td>
                <td>{b.word}</td>
                <td>{b.cause}</td>
                <td>
                  <Button
                    variant="outline-secondary"
                    size="sm"
                    disabled={remove.isPending}
                    aria-label={`Remove the log of ${b.nickname}, boot ${b.number}`}
                    onClick={() => remove.mutate({ kind: "log", id: b.id })}
                  >
                    Remove
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {boots.data && rows.length === 0 && <p className="quiet">No boot has these words.</p>}
    </main>
  );
}
