import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Diagnose.module.css";
import { useKeepRule, useTryRule } from "./queries";

const strengths: [number, string][] = [
  [2, "A hint"],
  [4, "Clear"],
  [6, "A proof"],
];

/** A rule of one's own for a cause: tried over all kept logs before it is kept. */
export function RuleForm({ cause, onKept }: { cause: { id: string; name: string }; onKept: () => void }) {
  const [find, setFind] = useState("");
  const [regex, setRegex] = useState("");
  const [not, setNot] = useState("");
  const [says, setSays] = useState("");
  const [against, setAgainst] = useState(false);
  const [weight, setWeight] = useState(4);
  const tried = useTryRule();
  const keep = useKeepRule();
  const words = { find, regex: regex || null, not: not || null };
  const hits = tried.data?.hits ?? [];
  const field = (label: string, value: string, set: (text: string) => void, hint: string) => (
    <Form.Group controlId={`rule-${cause.id}-${label}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control value={value} maxLength={300} placeholder={hint} onChange={(e) => set(e.target.value)} />
    </Form.Group>
  );
  return (
    <Form
      className={styles.rule ?? ""}
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(
          {
            id: `own-${Date.now().toString(36)}`,
            causeId: cause.id,
            ...words,
            weight,
            against,
            says: says || null,
          },
          { onSuccess: onKept },
        );
      }}
    >
      {field("Words in the line", find, setFind, "no carrier on this hedge")}
      {field("What they show", says, setSays, "the hedge has no carrier")}
      <details>
        <summary>Narrow it</summary>
        {field("Expression that must match too", regex, setRegex, "hedge \\d+")}
        {field("Expression that must not match", not, setNot, "simulated")}
      </details>
      <Form.Group controlId={`rule-${cause.id}-way`}>
        <Form.Label>It speaks</Form.Label>
        <Form.Select value={against ? "against" : "for"} onChange={(e) => setAgainst(e.target.value === "against")}>
          <option value="for">for {cause.name}</option>
          <option value="against">against {cause.name}</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId={`rule-${cause.id}-weight`}>
        <Form.Label>How strongly</Form.Label>
        <Form.Select value={weight} onChange={(e) => setWeight(Number(e.target.value))}>
          {strengths.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <div className={styles.answers}>
        <Button
          variant="outline-secondary"
          disabled={tried.isPending || find.trim().length === 0}
          onClick={() => tried.mutate(words)}
        >
          Try it over all logs
        </Button>
        <Button type="submit" disabled={keep.isPending || find.trim().length === 0}>
          Keep the rule
        </Button>
      </div>
      <ProblemNote error={tried.error ?? keep.error} />
      {tried.data && (
        <div role="status">
          <p>
            {hits.length === 0
              ? `It fires in none of the ${tried.data.looked} logs that were looked at.`
              : `It would fire in ${hits.length} ${hits.length === 1 ? "log" : "logs"} of ${tried.data.looked}.`}{" "}
            {tried.data.looked < tried.data.of && `There are ${tried.data.of} in all; the newest were looked at.`}
          </p>
          <ul className={styles.lines}>
            {hits.map((h) => (
              <li key={h.bootId}>
                <Link to={`/boards/${h.boardId}/boot?boot=${h.bootId}&line=${h.line}`}>
                  boot {h.number}, line {h.line}
                </Link>{" "}
                <code>{h.text.trim()}</code>
                {h.times > 1 && ` and ${h.times - 1} more`}
              </li>
            ))}
          </ul>
        </div>
      )}
    </Form>
  );
}
