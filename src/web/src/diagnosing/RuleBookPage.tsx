import { useState } from "react";
import { Form } from "react-bootstrap";
import { ProblemNote } from "../shared/ProblemNote";
import { useRules } from "../shared/queries";
import { stageNames } from "../shared/words";

/** Every cause that the rule book knows. */
export function RuleBookPage() {
  const rules = useRules();
  const [text, setText] = useState("");
  const rows = (rules.data ?? []).filter((r) =>
    [r.id, r.name, r.looksLike, r.fix, stageNames[r.stage]].join(" ").toLowerCase().includes(text.toLowerCase()),
  );
  return (
    <main className="page wide" id="page">
      <title>Rule book · Buttonhook</title>
      <h1>Rule book</h1>
      <p className="lead">
        {rules.data?.length ?? 0} causes, each with what it looks like, the cheapest check and the fix.
      </p>
      <Form.Control
        className="filter"
        aria-label="Narrow the list"
        placeholder="Narrow by name, stage or what it looks like"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <ProblemNote error={rules.error} />
      <dl className="rules">
        {rows.map((r) => (
          <div key={r.id} id={r.id}>
            <dt>
              {r.name} <span className="quiet">{stageNames[r.stage].toLowerCase()}</span> <code>{r.id}</code>
            </dt>
            <dd>
              {r.looksLike} <strong>Check:</strong> {r.check} <strong>Fix:</strong> {r.fix}{" "}
              <span className="quiet">
                {r.observations} {r.observations === 1 ? "observation" : "observations"}
              </span>
            </dd>
          </div>
        ))}
      </dl>
    </main>
  );
}
